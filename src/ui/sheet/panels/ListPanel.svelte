<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import type { ListStep } from '$core/steps/list.ts';
  import TagsInput from '../TagsInput.svelte';
  import { inputText, type PanelProps } from './panel.ts';

  let { step, set, known }: PanelProps<ListStep> = $props();
  const move = $derived(step.move ?? { from: '', to: '' });

  function moved(part: Partial<typeof move>): void {
    const next = { ...move, ...part };
    set('move', next.from || next.to ? next : undefined);
  }
</script>

<div data-first>
  <TagsInput
    label="Put on the lists"
    value={step.add ?? []}
    tags={known.lists}
    onchange={(v) => set('add', v.length ? v : undefined)}
  />
</div>
<TagsInput
  label="Take off the lists"
  value={step.remove ?? []}
  tags={known.lists}
  onchange={(v) => set('remove', v.length ? v : undefined)}
/>
<TextInput
  size="sm"
  labelText="Move from the list"
  value={move.from}
  on:input={(e) => moved({ from: inputText(e).trim() })}
/>
<TextInput size="sm" labelText="to the list" value={move.to} on:input={(e) => moved({ to: inputText(e).trim() })} />
<p class="hint">Moving does nothing for someone who is not on the first of them.</p>
