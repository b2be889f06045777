<script lang="ts">
  import { TextArea, TextInput } from 'carbon-components-svelte';
  import type { NotifyStep } from '$core/steps/notify.ts';
  import { inputText, type PanelProps } from './panel.ts';

  let { step, set }: PanelProps<NotifyStep> = $props();
</script>

<div data-first>
  <TextArea
    labelText="What they are told"
    rows={4}
    value={step.text}
    on:input={(e) => set('text', (e.target as HTMLTextAreaElement).value, false)}
  />
</div>
<TextInput
  size="sm"
  labelText="Who (a colleague’s name; empty: the owner)"
  value={step.to === 'owner' ? '' : step.to}
  on:input={(e) => set('to', inputText(e).trim() || 'owner', false)}
/>
<p class="hint">By email, with the person’s name and a link to their page.</p>
