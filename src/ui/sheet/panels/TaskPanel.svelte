<script lang="ts">
  import { Checkbox, TextArea, TextInput } from 'carbon-components-svelte';
  import type { TaskStep } from '$core/steps/task.ts';
  import { durationShort } from '$core/tell/words.ts';
  import { typedDuration } from '$core/time/duration.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { inputText, type PanelProps } from './panel.ts';

  let { step, set }: PanelProps<TaskStep> = $props();

  const KINDS = [
    ['call', 'call them'],
    ['check', 'check something'],
    ['meet', 'meet them'],
    ['other', 'something else']
  ] as const;
  const PRIORITIES = [
    ['high', 'before others'],
    ['normal', 'as it comes'],
    ['low', 'when there is time']
  ] as const;

  /** A length half typed is not taken yet; none takes it out. */
  function length(typed: string, take: (length: string | undefined) => void): void {
    const read = typedDuration(typed);
    if (typed.trim() === '' || read) take(read ?? undefined);
  }
</script>

<div data-first>
  <TextInput
    size="sm"
    labelText="Title"
    value={step.title}
    on:input={(e) => inputText(e).trim() && set('title', inputText(e), false)}
  />
</div>
<Pick shown label="What it is" options={KINDS} value={step.what ?? 'other'} onchange={(what) => set('what', what)} />
<TextInput
  size="sm"
  labelText="For (a colleague’s name; empty: the owner)"
  value={step.to === 'owner' ? '' : (step.to ?? '')}
  on:input={(e) => set('to', inputText(e))}
/>
<TextInput
  size="sm"
  labelText="Due after (1d, 3 h; empty: no day)"
  value={step.due ? durationShort(step.due) : ''}
  on:change={(e) => length(inputText(e), (due) => set('due', due))}
/>
<Pick
  shown
  label="Priority"
  options={PRIORITIES}
  value={step.priority ?? 'normal'}
  onchange={(priority) => set('priority', priority === 'normal' ? undefined : priority)}
/>
<TextArea
  labelText="What the colleague reads"
  rows={3}
  value={step.text ?? ''}
  on:input={(e) => set('text', (e.target as HTMLTextAreaElement).value)}
/>
<Checkbox
  labelText="They wait here until it is done"
  checked={step.await !== undefined}
  on:check={(e) => e.detail !== (step.await !== undefined) && set('await', e.detail ? { limit: 'P3D' } : undefined)}
/>
{#if step.await}
  <TextInput
    size="sm"
    labelText="At most (3d)"
    value={durationShort(step.await.limit)}
    on:change={(e) => length(inputText(e), (limit) => limit && set('await', { limit }))}
  />
{/if}
