<!-- Why: what was asked, part by part, whether it held, and the value there was. -->
<script lang="ts">
  import type { Explained, Had } from '$core/condition/explain.ts';
  import { fieldText, number, plural } from '$core/tell/words.ts';
  import type { Why } from '$server/people/why.ts';
  import { send } from '$ui/api.ts';
  import { useFormat } from '$ui/format.ts';

  interface Props {
    /** Where it is asked: an address of our own. */
    from: string;
  }
  let { from }: Props = $props();
  const format = useFormat();
  let why = $state.raw<Why | null>(null);
  let problem = $state('');

  $effect(() => {
    let over = false;
    [why, problem] = [null, ''];
    void send<Why>('GET', from).then((answer) => {
      if (over) return;
      if (answer.ok) why = answer.data;
      else problem = answer.message;
    });
    return () => {
      over = true;
    };
  });

  function hadWords(had: Had): string {
    switch (had.kind) {
      case 'field':
        return had.value === null ? 'none' : fieldText(had.value);
      case 'number':
        return number(had.value);
      case 'words':
        return had.value;
      case 'times':
        return had.last === null ? 'never' : `${plural(had.value, 'time', 'times')}, last ${format.dateTime(had.last)}`;
    }
  }
</script>

{#snippet tree(asked: Explained)}
  <li>
    {#if asked.parts}
      <span class="soft">{asked.link === 'all' ? 'all of' : 'any of'}</span>
      <ul>
        {#each asked.parts as p, i (i)}{@render tree(p)}{/each}
      </ul>
    {:else}
      <span class="mark" class:yes={asked.holds}>{asked.holds ? 'yes' : 'no'}</span>
      they {asked.words.replace(/^whose (.*?) (is|has|includes|contains|begins)\b/, 'have: $1 $2')}
      {#if asked.had}<span class="had">{hadWords(asked.had)}</span>{/if}
    {/if}
  </li>
{/snippet}

<div class="why" role="status">
  {#if problem}<p class="bad">{problem}</p>
  {:else if why}
    <p><strong>{why.because}</strong></p>
    {#each why.rules as r, i (i)}
      <div class="rule" class:decided={r.decided}>
        {#if r.label}<span class="soft">{r.label}</span>{/if}
        <ul>{@render tree(r.asked)}</ul>
      </div>
    {/each}
    {#if why.unknown.length}
      <p class="soft">What {why.unknown.join(', ')} was then is not on record: it is left out of what is said here.</p>
    {/if}
  {:else}<p class="soft">Looking …</p>{/if}
</div>

<style>
  .why {
    margin: 4px 0 6px;
    padding: 6px 10px;
    font-size: 13.5px;
    background: var(--surface-2);
    border-left: 3px solid var(--rule-strong);
  }
  .rule {
    margin-top: 4px;
  }
  .rule.decided {
    border-left: 2px solid var(--action);
    padding-left: 8px;
  }
  ul ul {
    padding-left: 16px;
  }
  .mark {
    display: inline-block;
    min-width: 28px;
    color: var(--failure);
    font-weight: 650;
  }
  .mark.yes {
    color: var(--done);
  }
  .had {
    margin-left: 6px;
    padding: 0 6px;
    background: var(--ground);
  }
  .bad {
    color: var(--failure);
  }
</style>
