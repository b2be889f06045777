<script lang="ts">
  import { Checkbox, TextInput } from 'carbon-components-svelte';
  import type { SplitStep } from '$core/steps/split.ts';
  import { durationShort } from '$core/tell/words.ts';
  import { typedDuration } from '$core/time/duration.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import LanePart from './LanePart.svelte';
  import { inputText, type PanelProps } from './panel.ts';

  let { editor, step, set }: PanelProps<SplitStep> = $props();
  const total = $derived(step.lanes.reduce((sum, lane) => sum + lane.weight, 0));

  const change = (place: number, part: { label?: string; weight?: number }): void =>
    editor.apply(
      { edit: 'patch-lane', key: step.key, place, ...part },
      `${step.key}/${place}/${Object.keys(part).join()}`
    );
  /** A weight half typed is not taken yet. */
  function weigh(place: number, typed: string): void {
    const weight = Number(typed);
    if (typed.trim() !== '' && Number.isFinite(weight) && weight > 0) change(place, { weight });
  }
  const WAYS = [
    ['opened', 'open most'],
    ['clicked', 'follow a link most'],
    ['replied', 'answer most'],
    ['goal', 'reach the goal most']
  ] as const;
  const after = $derived(step.winner?.after ?? { people: 500, wait: 'P2D' });
  const win = (part: Partial<NonNullable<SplitStep['winner']>>): void =>
    set('winner', { by: 'opened', after, ...step.winner, ...part });
</script>

{#each step.lanes as lane, place (place)}
  <LanePart
    called="Lane {place + 1}"
    label={lane.label}
    first={place === 0}
    onrename={(label) => change(place, { label })}
    remove={step.lanes.length > 2
      ? { steps: lane.lane.length, lane: () => editor.apply({ edit: 'remove-lane', key: step.key, place }) }
      : undefined}
  >
    {#snippet beside()}
      <TextInput
        size="sm"
        type="number"
        labelText="Share: {Math.round((lane.weight / total) * 100)} %"
        value={lane.weight}
        on:input={(e) => weigh(place, inputText(e))}
      />
    {/snippet}
  </LanePart>
{/each}
<button
  class="act add"
  onclick={() =>
    editor.apply({ edit: 'add-lane', key: step.key, label: 'another', weight: step.lanes[0]?.weight ?? 1 })}
  >Add a lane</button
>
<Checkbox
  labelText="Later ones take the lane that did best"
  checked={step.winner !== undefined}
  on:check={(e) =>
    e.detail !== (step.winner !== undefined) && set('winner', e.detail ? { by: 'opened', after } : undefined)}
/>
{#if step.winner}
  <Pick
    shown
    label="Best is the lane whose people"
    options={WAYS}
    value={step.winner.by}
    onchange={(by) => win({ by })}
  />
  <div class="two">
    <TextInput
      size="sm"
      type="number"
      labelText="After so many people"
      value={after.people}
      on:input={(e) => {
        const people = Number(inputText(e));
        if (Number.isInteger(people) && people > 0) win({ after: { ...after, people } });
      }}
    />
    <TextInput
      size="sm"
      labelText="and then (2d)"
      value={durationShort(after.wait)}
      on:change={(e) => {
        const wait = typedDuration(inputText(e));
        if (wait) win({ after: { ...after, wait } });
      }}
    />
  </div>
{/if}

<style>
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 6px;
  }
  .add {
    margin-bottom: 12px;
  }
</style>
