<script lang="ts">
  import { TextArea } from 'carbon-components-svelte';
  import { smsSize } from '$core/message/sms.ts';
  import type { SmsStep } from '$core/steps/sms.ts';
  import { plural } from '$core/tell/words.ts';
  import MessagePreview from '../MessagePreview.svelte';
  import type { PanelProps } from './panel.ts';

  let { editor, step, set, sample }: PanelProps<SmsStep> = $props();
  const size = $derived(smsSize(step.text ?? ''));
</script>

<div data-first>
  <TextArea
    labelText="Text"
    rows={5}
    value={step.text ?? ''}
    on:input={(e) => set('text', (e.target as HTMLTextAreaElement).value, false)}
  />
</div>
<p class="hint">
  {size.used} characters, {plural(size.parts, 'part', 'parts')}, {size.left} left in it · {size.alphabet}. Personal
  fields and tracked links change the length.
</p>
<MessagePreview {step} {sample} journeyName={editor.document.name ?? ''} />
