<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import type { BranchStep } from '$core/steps/branch.ts';
  import ConditionForm from '../ConditionForm.svelte';
  import { inputText, type PanelProps } from './panel.ts';

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
    <section>
      <div data-first={place === 0 ? '' : undefined}>
        <TextInput
          size="sm"
          labelText="Lane {place + 1}"
          value={lane.label}
          on:input={(e) => rename(place, inputText(e))}
        />
      </div>
      <p class="soft">takes those who …</p>
      <ConditionForm
        condition={lane.when}
        {known}
        onchange={(when) =>
          editor.apply({ edit: 'patch-lane', key: branch.key, place, when }, `${branch.key}/${place}/when`)}
      />
      {#if branch.lanes.length > 1}<button
          class="act"
          onclick={() => editor.apply({ edit: 'remove-lane', key: branch.key, place })}
          >Remove this lane{lane.lane.length
            ? ` and its ${lane.lane.length === 1 ? 'step' : `${lane.lane.length} steps`}`
            : ''}</button
        >{/if}
    </section>
  {/each}
  <button
    class="act add"
    onclick={() => editor.apply({ edit: 'add-lane', key: branch.key, label: 'has the tag', when: { tag: '' } })}
    >Add a lane</button
  >
  <section>
    <TextInput
      size="sm"
      labelText="Everyone else"
      value={branch.otherwise.label}
      on:input={(e) => rename(branch.lanes.length, inputText(e))}
    />
    <p class="soft">The first lane whose question is true is taken; this one when none is.</p>
  </section>
{/if}

<style>
  section {
    margin-bottom: 10px;
    padding-bottom: 10px;
    border-bottom: 1px solid var(--rule-soft);
  }
  .soft {
    margin: -4px 0 6px;
    font-size: 12px;
  }
  .add {
    margin-bottom: 12px;
  }
</style>
