<!-- A length of time, typed as it is said: 14 days, 2 weeks. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import { typedDuration } from '$core/time/duration.ts';
  import { durationWords } from '$core/tell/words.ts';
  import { inputText } from '$ui/sheet/panels/panel.ts';

  interface Props {
    label: string;
    /** ISO; empty where there is none yet. */
    value: string;
    onchange: (iso: string) => void;
  }
  let { label, value, onchange }: Props = $props();
  let wrong = $state(false);

  function take(text: string): void {
    const read = typedDuration(text.trim());
    wrong = read === null;
    if (read !== null) onchange(read);
  }
</script>

<TextInput
  size="sm"
  hideLabel
  labelText={label}
  placeholder="14 days"
  value={value ? durationWords(value) : ''}
  invalid={wrong}
  invalidText="A length, as 14 days or 6 weeks."
  on:change={(e) => take(inputText(e))}
/>
