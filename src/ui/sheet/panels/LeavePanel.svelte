<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import type { LeaveStep } from '$core/steps/leave.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { inputText, type PanelProps } from './panel.ts';

  let { step, set }: PanelProps<LeaveStep> = $props();
</script>

<div data-first>
  <TextInput
    size="sm"
    labelText="Reason, as figures name it"
    value={step.reason ?? ''}
    on:input={(e) => set('reason', inputText(e).trim())}
  />
</div>
<Pick
  shown
  label="They count as"
  options={[
    ['finished', 'finished'],
    ['goal', 'having reached the goal']
  ]}
  value={step.as ?? 'finished'}
  onchange={(as) => set('as', as === 'finished' ? undefined : as)}
/>
