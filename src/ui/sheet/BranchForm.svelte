<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import type { RulesStep } from '$core/steps/branch.ts';
  import type { Step } from '$core/steps/index.ts';
  import ConditionForm from './ConditionForm.svelte';
  import type { Editor } from './editor.svelte.ts';

  let {
    editor,
    branch,
    tags,
    fields,
    messages
  }: { editor: Editor; branch: RulesStep; tags: string[]; fields: string[]; messages: Step[] } = $props();

  const text = (event: unknown): string => String((event as CustomEvent<string | null>).detail ?? '');

  /** As typed, also on the way through another lane's name: a finding says so while it stays that. */
  function rename(place: number, label: string): void {
    editor.apply({ edit: 'patch-lane', key: branch.key, place, label }, `${branch.key}/${place}`);
  }
</script>

{#each branch.lanes as lane, place (place)}
  <section>
    <div data-first={place === 0 ? '' : undefined}>
      <TextInput size="sm" labelText="Lane {place + 1}" value={lane.label} on:input={(e) => rename(place, text(e))} />
    </div>
    <p class="soft">takes those who …</p>
    <ConditionForm
      condition={lane.when}
      {tags}
      {fields}
      {messages}
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
    on:input={(e) => rename(branch.lanes.length, text(e))}
  />
  <p class="soft">The first lane whose question is true is taken; this one when none is.</p>
</section>

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
