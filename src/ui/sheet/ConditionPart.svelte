<!-- One part of a condition: a question, or several together, of which each is such a part again. -->
<script lang="ts">
  import { Checkbox } from 'carbon-components-svelte';
  import type { Condition } from '$core/condition/schema.ts';
  import { conditionWords } from '$core/tell/condition.ts';
  import { number } from '$core/tell/words.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { freshQuestion, grouped, groupOf, QUESTIONS, questionOf, turn, turned, type Group } from './condition.ts';
  import Self from './ConditionPart.svelte';
  import { useCounts } from './counts.svelte.ts';
  import type { Nameable } from './panels/panel.ts';
  import QuestionForm from './QuestionForm.svelte';

  interface Props {
    condition: Condition;
    known: Nameable;
    onchange: (condition: Condition) => void;
    /** Takes it away, where it is one of several. */
    onremove?: () => void;
  }
  let { condition, known, onchange, onremove }: Props = $props();

  const counts = useCounts();
  const count = $derived(onremove ? counts.get(condition) : null);
  const parted = $derived(turned(condition));
  const group = $derived(groupOf(parted.inner));
  const question = $derived(questionOf(parted.inner));
  const give = (inner: Condition, not = parted.not): void => onchange(turn(inner, not));
  const change = (to: Partial<Group>): void => {
    if (group) give(grouped({ ...group, ...to }));
  };
  const asked = $derived(
    QUESTIONS.map(
      ([q, words]) =>
        [
          q,
          words,
          (q === 'did' && !known.messages.length) ||
            (q === 'segment' && !known.segments.length) ||
            (q === 'rung' && !known.rungs.length) ||
            (q === 'walking' && !known.journeys.length)
        ] as const
    )
  );
</script>

<div class:inside={onremove}>
  {#if group}
    <div class="head">
      <Pick
        label="Together"
        options={[
          ['all', 'all of these'],
          ['any', 'any of these']
        ]}
        value={group.together}
        onchange={(together) => change({ together })}
      />
      <Checkbox labelText="not" checked={parted.not} on:check={(e) => give(parted.inner, e.detail)} />
    </div>
    {#each group.parts as part, i (i)}
      <Self
        condition={part}
        {known}
        onchange={(c) => change({ parts: group.parts.map((p, n) => (n === i ? c : p)) })}
        onremove={() => change({ parts: group.parts.filter((_, n) => n !== i) })}
      />
    {/each}
    <p class="more">
      <button class="act" onclick={() => change({ parts: [...group.parts, freshQuestion('tag', known)] })}
        >{group.together === 'all' ? 'And also ask …' : 'Or ask …'}</button
      >
      <button
        class="act"
        onclick={() =>
          change({
            parts: [
              ...group.parts,
              grouped({
                together: group.together === 'all' ? 'any' : 'all',
                parts: [freshQuestion('tag', known), freshQuestion('tag', known)]
              })
            ]
          })}>{group.together === 'all' ? 'Any of several …' : 'All of several …'}</button
      >
      {#if onremove}<button class="act" onclick={onremove}>Remove these</button>{/if}
    </p>
  {:else}
    <div class="head">
      {#if question}
        <Pick label="What is asked" options={asked} value={question} onchange={(q) => give(freshQuestion(q, known))} />
      {:else}
        <p>They {conditionWords(parted.inner, (key) => key)}.</p>
      {/if}
      <Checkbox labelText="not" checked={parted.not} on:check={(e) => give(parted.inner, e.detail)} />
    </div>
    {#if question}<QuestionForm condition={parted.inner} {known} onchange={(c) => give(c)} />{/if}
    <p class="more">
      {#if onremove}
        <button class="act" onclick={onremove}>Remove</button>
      {:else}
        <button
          class="act"
          onclick={() => onchange(grouped({ together: 'all', parts: [condition, freshQuestion('tag', known)] }))}
          >And also ask …</button
        >
        <button
          class="act"
          onclick={() => onchange(grouped({ together: 'any', parts: [condition, freshQuestion('tag', known)] }))}
          >Or ask …</button
        >
      {/if}
      {#if count && count.people !== null}<span class="soft" title="People who meet this part alone"
          >{count.exact ? '' : 'at most '}{number(count.people)}</span
        >{/if}
    </p>
  {/if}
</div>

<style>
  .head {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 8px;
    align-items: center;
  }
  .inside {
    margin-bottom: 6px;
    padding-left: 8px;
    border-left: 2px solid var(--rule);
  }
  .more {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 12px;
    margin-bottom: 6px;
  }
  .more span {
    margin-left: auto;
    font-size: 12.5px;
    font-variant-numeric: tabular-nums;
  }
</style>
