<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import { eachStep } from '$core/journey/walk-document.ts';
  import { kindOf } from '$core/steps/index.ts';
  import type { LoopStep } from '$core/steps/loop.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { inputText, type PanelProps } from './panel.ts';

  let { editor, step, set }: PanelProps<LoopStep> = $props();
  const earlier = $derived(eachStep(editor.document).find((s) => s.step.key === step.key)?.before ?? []);
  const options = $derived([
    ...(earlier.some((s) => s.key === step.to) ? [] : [[step.to, 'choose a step'] as const]),
    ...earlier.map((s) => [s.key, kindOf(s).card(s).title] as const)
  ]);

  function atMost(typed: string): void {
    const times = Number(typed);
    if (typed.trim() === '') set('atMost', undefined);
    else if (Number.isInteger(times) && times > 0) set('atMost', times);
  }
</script>

<div data-first>
  <Pick shown label="Back to" {options} value={step.to} onchange={(to) => set('to', to, false)} />
</div>
<TextInput
  size="sm"
  type="number"
  labelText="At most so many times (empty: without end)"
  value={step.atMost ?? ''}
  on:input={(e) => atMost(inputText(e))}
/>
