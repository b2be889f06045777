<!-- A condition as a form: typed, or put together from questions, of which each may again be several. Beside each part stands
     how many people meet it now. -->
<script lang="ts">
  import { onDestroy } from 'svelte';
  import type { Condition } from '$core/condition/schema.ts';
  import ConditionPart from './ConditionPart.svelte';
  import { and } from './condition.ts';
  import { provideCounts } from './counts.svelte.ts';
  import { plural } from '$core/tell/words.ts';
  import type { Nameable } from './panels/panel.ts';
  import TypedCondition from './TypedCondition.svelte';
  import { isBlank } from '$core/check/unfinished.ts';

  interface Props {
    condition: Condition;
    known: Nameable;
    onchange: (condition: Condition) => void;
  }
  let { condition, known, onchange }: Props = $props();

  const counts = provideCounts();
  $effect(() => counts.follow(condition));
  onDestroy(() => counts.stop());
  const whole = $derived(counts.get(condition));
</script>

<div class="condition">
  <TypedCondition {known} onread={(read) => onchange(isBlank(condition) ? read : and(condition, read))} />
  <ConditionPart {condition} {known} {onchange} />
  <p class="soft count" role="status">
    {#if counts.problem}{counts.problem}
    {:else if whole && whole.people !== null && counts.of !== null}
      {whole.exact ? '' : 'At most '}{plural(whole.people, 'person', 'people')} of {counts.of
        .toLocaleString('en')
        .replace(/,/g, '\u202f')} now{counts.estimatedFrom === null ? '' : ', estimated'}
    {:else if whole}Told of each person when they are here{:else}&nbsp;{/if}
  </p>
</div>

<style>
  .condition :global(.bx--form-item) {
    margin-bottom: 4px;
  }
  .count {
    margin: -2px 0 8px;
    font-size: 12.5px;
  }
</style>
