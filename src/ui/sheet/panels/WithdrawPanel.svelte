<script lang="ts">
  import { Checkbox } from 'carbon-components-svelte';
  import type { WithdrawStep } from '$core/steps/withdraw.ts';
  import type { PanelProps } from './panel.ts';

  let { editor, step, set, known }: PanelProps<WithdrawStep> = $props();
  const others = $derived(known.journeys.filter((j) => j.key !== editor.key));
  const from = $derived(step.from === 'others' ? [] : step.from);

  function toggle(key: string, on: boolean): void {
    if (from.includes(key) === on) return;
    const next = on ? [...from, key] : from.filter((k) => k !== key);
    set('from', next.length ? next : 'others', false);
  }
</script>

<div data-first>
  <Checkbox
    labelText="All other journeys"
    checked={step.from === 'others'}
    on:check={(e) => {
      const first = others[0];
      if (e.detail) set('from', 'others', false);
      else if (step.from === 'others' && first) set('from', [first.key], false);
    }}
  />
</div>
{#if step.from !== 'others'}
  {#each others as j (j.key)}
    <Checkbox labelText={j.name} checked={from.includes(j.key)} on:check={(e) => toggle(j.key, e.detail)} />
  {/each}
{/if}
<p class="hint">Where they are in one of these, they leave it at once.</p>
