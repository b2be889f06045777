<!-- A condition as a form: one question, or several together, of which each may again be several. -->
<script lang="ts">
  import { Checkbox } from 'carbon-components-svelte';
  import type { Condition } from '$core/condition/schema.ts';
  import { conditionWords } from '$core/tell/condition.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { freshQuestion, grouped, groupOf, QUESTIONS, questionOf, turn, turned, type Group } from './condition.ts';
  import Self from './ConditionForm.svelte';
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

  const parted = $derived(turned(condition));
  const group = $derived(groupOf(parted.inner));
  const question = $derived(questionOf(parted.inner));
  const give = (inner: Condition, not = parted.not): void => onchange(turn(inner, not));
  const change = (to: Partial<Group>): void => {
    if (group) give(grouped({ ...group, ...to }));
  };
  const asked = $derived(QUESTIONS.map(([q, words]) => [q, words, q === 'did' && !known.messages.length] as const));
</script>

<div class="condition" class:inside={onremove}>
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
      {/if}
    </p>
  {/if}
</div>

<style>
  .condition :global(.bx--form-item) {
    margin-bottom: 4px;
  }
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
</style>
