<script lang="ts">
  import type { BranchStep } from '$core/steps/branch.ts';
  import ConditionForm from '../ConditionForm.svelte';
  import LanePart from './LanePart.svelte';
  import type { PanelProps } from './panel.ts';

  let { editor, step, known }: PanelProps<BranchStep> = $props();
  // Lanes by bands and values have no form yet; they are kept as the file says.
  const branch = $derived(step.by === 'rules' ? step : null);

  /** As typed, also on the way through another lane's name: a finding says so while it stays that. */
  function rename(place: number, label: string): void {
    editor.apply({ edit: 'patch-lane', key: step.key, place, label }, `${step.key}/${place}`);
  }
</script>

{#if branch}
  {#each branch.lanes as lane, place (place)}
    <LanePart
      called="Lane {place + 1}"
      label={lane.label}
      first={place === 0}
      onrename={(label) => rename(place, label)}
      remove={branch.lanes.length > 1
        ? { steps: lane.lane.length, lane: () => editor.apply({ edit: 'remove-lane', key: branch.key, place }) }
        : undefined}
    >
      <p class="soft">takes those who …</p>
      <ConditionForm
        condition={lane.when}
        {known}
        onchange={(when) =>
          editor.apply({ edit: 'patch-lane', key: branch.key, place, when }, `${branch.key}/${place}/when`)}
      />
    </LanePart>
  {/each}
  <button
    class="act add"
    onclick={() => editor.apply({ edit: 'add-lane', key: branch.key, label: 'has the tag', when: { tag: '' } })}
    >Add a lane</button
  >
  <LanePart
    called="Everyone else"
    label={branch.otherwise.label}
    onrename={(label) => rename(branch.lanes.length, label)}
  >
    <p class="soft">The first lane whose question is true is taken; this one when none is.</p>
  </LanePart>
{/if}

<style>
  .add {
    margin-bottom: 12px;
  }
</style>
