<script lang="ts">
  import { Checkbox } from 'carbon-components-svelte';
  import type { HandoverStep } from '$core/steps/handover.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import type { PanelProps } from './panel.ts';

  let { editor, step, set, known }: PanelProps<HandoverStep> = $props();
  const others = $derived(known.journeys.filter((j) => j.key !== editor.key));
  const options = $derived(
    others.some((j) => j.key === step.journey)
      ? others.map((j) => [j.key, j.name] as const)
      : [[step.journey, 'choose a journey'] as const, ...others.map((j) => [j.key, j.name] as const)]
  );
</script>

<div data-first>
  <Pick
    shown
    label="They enter the journey"
    {options}
    value={step.journey}
    onchange={(key) => set('journey', key, false)}
  />
</div>
<Checkbox
  labelText="and stay in this one as well"
  checked={step.stay ?? false}
  on:check={(e) => e.detail !== (step.stay ?? false) && set('stay', e.detail || undefined)}
/>
<p class="hint">Where they are not let in there, they go on here.</p>
