<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import { isHappening, type HappeningOrCondition } from '$core/condition/schema.ts';
  import type { ListenStep } from '$core/steps/listen.ts';
  import { ruleWords } from '$core/tell/condition.ts';
  import { namingOf } from '$core/tell/read-through.ts';
  import { durationShort } from '$core/tell/words.ts';
  import { typedDuration } from '$core/time/duration.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import ConditionForm from '../ConditionForm.svelte';
  import { freshQuestion } from '../condition.ts';
  import { asking, isHeard } from '../happening.ts';
  import HappeningForm from '../HappeningForm.svelte';
  import LanePart from './LanePart.svelte';
  import { inputText, type PanelProps } from './panel.ts';

  let { editor, step, set, known }: PanelProps<ListenStep> = $props();

  const change = (place: number, part: { label?: string; when?: HappeningOrCondition }): void =>
    editor.apply(
      { edit: 'patch-lane', key: step.key, place, ...part },
      `${step.key}/${place}/${Object.keys(part).join()}`
    );
  const fresh = (): HappeningOrCondition =>
    known.messages.length ? asking('clicked', { happening: 'clicked' }, known) : freshQuestion('tag', known);

  function turned(place: number, to: 'happens' | 'is'): void {
    change(place, {
      when: to === 'happens' ? asking('clicked', { happening: 'clicked' }, known) : freshQuestion('tag', known)
    });
  }
  function limit(typed: string): void {
    const read = typedDuration(typed);
    if (read) set('limit', read, false);
  }
</script>

<TextInput
  size="sm"
  labelText="Wait at most (3d, 12 h)"
  value={durationShort(step.limit)}
  on:change={(e) => limit(inputText(e))}
/>
{#each step.for as lane, place (place)}
  <LanePart
    called="Lane {place + 1}"
    label={lane.label}
    first={place === 0}
    onrename={(label) => change(place, { label })}
    remove={step.for.length > 1
      ? { steps: lane.lane.length, lane: () => editor.apply({ edit: 'remove-lane', key: step.key, place }) }
      : undefined}
  >
    <Pick
      label="What takes them here"
      options={[
        ['happens', 'as soon as …'],
        ['is', 'as soon as it is true that they …']
      ]}
      value={isHappening(lane.when) ? 'happens' : 'is'}
      onchange={(to) => turned(place, to)}
    />
    {#if isHappening(lane.when)}
      {#if isHeard(lane.when.happening)}
        <HappeningForm happening={lane.when} {known} onchange={(when) => change(place, { when })} />
      {:else}<p>They {ruleWords(lane.when, namingOf(editor.document))}.</p>{/if}
    {:else}
      <ConditionForm condition={lane.when} {known} onchange={(when) => change(place, { when })} />
    {/if}
  </LanePart>
{/each}
<button
  class="act add"
  onclick={() => editor.apply({ edit: 'add-lane', key: step.key, label: 'something else', when: fresh() })}
  >Listen for something else as well</button
>
<LanePart called="Not in time" label={step.otherwise.label} onrename={(label) => change(step.for.length, { label })}>
  <p class="soft">The first thing that happens decides; whoever does nothing in time comes here.</p>
</LanePart>

<style>
  .add {
    margin-bottom: 12px;
  }
</style>
