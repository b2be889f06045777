<script lang="ts">
  import { TextArea, TextInput } from 'carbon-components-svelte';
  import type { EmailStep } from '$core/steps/email.ts';
  import MessagePreview from '../MessagePreview.svelte';
  import { inputText, type PanelProps } from './panel.ts';

  let { editor, step, set, sample }: PanelProps<EmailStep> = $props();
  const length = $derived((step.subject ?? '').length);
</script>

<div data-first>
  <TextInput
    size="sm"
    labelText="Subject"
    value={step.subject ?? ''}
    on:input={(e) => set('subject', inputText(e), false)}
  />
</div>
<p class="hint">{length} characters{length > 60 ? ' · long: phones cut it near 40' : ''}</p>
<TextInput
  size="sm"
  labelText="Preview text"
  value={step.preview ?? ''}
  on:input={(e) => set('preview', inputText(e))}
/>
<TextInput
  size="sm"
  labelText="Aim: what it asks its reader to do"
  value={step.aim ?? ''}
  on:input={(e) => set('aim', inputText(e))}
/>
<TextArea
  labelText="Text"
  rows={9}
  value={step.text ?? ''}
  on:input={(e) => set('text', (e.target as HTMLTextAreaElement).value, false)}
/>
<MessagePreview {step} {sample} journeyName={editor.document.name ?? ''} />
