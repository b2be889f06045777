<!-- The form of a branch: what it looks at, and the lanes that this gives. -->
<script lang="ts">
  import { lookingBy, stepsLost } from '$core/edit/branch-by.ts';
  import type { BranchStep } from '$core/steps/branch.ts';
  import { plural } from '$core/tell/words.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import ConditionForm from '../ConditionForm.svelte';
  import BandsPart from './BandsPart.svelte';
  import LanePart from './LanePart.svelte';
  import ValuesPart from './ValuesPart.svelte';
  import type { PanelProps } from './panel.ts';

  let { editor, step, known }: PanelProps<BranchStep> = $props();

  const WAYS = [
    ['rules', 'what is true of them'],
    ['bands', 'a number, by cut points'],
    ['values', 'a field, value by value']
  ] as const;

  /** As typed, also on the way through another lane's name: a finding says so while it stays that. */
  function rename(place: number, label: string): void {
    editor.apply({ edit: 'patch-lane', key: step.key, place, label }, `${step.key}/${place}`);
  }
  function replace(to: BranchStep, field: string): void {
    const lost = stepsLost(step, to);
    editor.apply({ edit: 'replace', step: to }, `${step.key}/${field}`);
    if (lost) editor.say(`${plural(lost, 'step', 'steps')} stood on a lane that is gone. Ctrl Z brings them back.`);
  }
</script>

<div data-first>
  <Pick
    shown
    label="People are told apart by"
    options={WAYS}
    value={step.by}
    onchange={(by) => replace(lookingBy(step, by, known.fields.find((f) => f === 'language') ?? known.fields[0]), 'by')}
  />
</div>
{#if step.by === 'bands'}
  <BandsPart {step} {known} onchange={replace} onrename={rename} />
{:else if step.by === 'values'}
  <ValuesPart {step} {known} onchange={replace} onrename={rename} />
{:else}
  {#each step.lanes as lane, place (place)}
    <LanePart
      called="Lane {place + 1}"
      label={lane.label}
      onrename={(label) => rename(place, label)}
      remove={step.lanes.length > 1
        ? { steps: lane.lane.length, lane: () => editor.apply({ edit: 'remove-lane', key: step.key, place }) }
        : undefined}
    >
      <p class="soft">takes those who …</p>
      <ConditionForm
        condition={lane.when}
        {known}
        onchange={(when) =>
          editor.apply({ edit: 'patch-lane', key: step.key, place, when }, `${step.key}/${place}/when`)}
      />
    </LanePart>
  {/each}
  <button
    class="act add"
    onclick={() => editor.apply({ edit: 'add-lane', key: step.key, label: 'has the tag', when: { tag: '' } })}
    >Add a lane</button
  >
  <LanePart
    called="Everyone else"
    label={step.otherwise.label}
    onrename={(label) => rename(step.by === 'rules' ? step.lanes.length : 0, label)}
  >
    <p class="soft">The first lane whose question is true is taken; this one when none is.</p>
  </LanePart>
{/if}

<style>
  .add {
    margin-bottom: 12px;
  }
</style>
