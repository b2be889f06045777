<!-- What was done with many at once lately: how far it is, stopping it, going on, taking it back. -->
<script lang="ts">
  import { enhance } from '$app/forms';
  import type { Crowd } from '$server/crowds/crowds.ts';
  import type { Change } from '$server/selection/selection.ts';
  import { fieldText, number } from '$core/tell/words.ts';
  import { useFormat } from '$ui/format.ts';

  interface Props {
    done: (Crowd & { undone: boolean })[];
    journeys: { key: string; name: string }[];
    problem: string;
    /** The workspace's clock, UTC ms. */
    now: number;
  }
  let { done, journeys, problem, now }: Props = $props();
  const format = useFormat();

  const titleOf = (key: string): string => journeys.find((j) => j.key === key)?.name ?? key;
  function words(change: Change): string {
    switch (change.act) {
      case 'add tag':
        return `The tag ${change.tag} is put on`;
      case 'remove tag':
        return `The tag ${change.tag} is taken off`;
      case 'add list':
        return `They are put on the list ${change.list}`;
      case 'remove list':
        return `They are taken off the list ${change.list}`;
      case 'set field':
        return `Their ${change.field} becomes ${fieldText(change.value)}`;
      case 'add points':
        return `They get ${number(change.points)} points of ${change.score}`;
      case 'erase':
        return 'They are erased';
      case 'enter':
        return `They are put into “${titleOf(change.journey)}”`;
      case 'end':
        return `They are taken out of “${titleOf(change.journey)}”`;
    }
  }
  const back = (change: Change): boolean => ['add tag', 'remove tag', 'add list', 'remove list'].includes(change.act);
  const TODAY_MS = 86_400_000;
  const shown = $derived(done.filter((c) => c.state !== 'done' || now - c.begins_at < TODAY_MS));
</script>

{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
{#each shown as c (c.id)}
  {#if c.change}
    <section aria-label="Done with many">
      <p>
        {c.undoes === null ? '' : 'Taken back: '}{words(c.change)}: <strong>{number(c.asked)}</strong>
        {#if c.state === 'done'}{c.asked === 1 ? 'person' : 'people'}, done{:else}of {number(
            c.total
          )}{/if}{#if c.state === 'stopped'},
          <strong>stopped</strong>{#if c.problem}: {c.problem}{/if}{/if}
        <span class="soft">· {c.asked_by}, {format.dateTime(c.begins_at)}{c.undone ? ' · taken back since' : ''}</span>
      </p>
      {#if c.state !== 'done'}<progress max={c.total} value={c.asked}></progress>{/if}
      <form method="post" action="?/many" use:enhance>
        <input type="hidden" name="id" value={c.id} />
        {#if c.state === 'running'}<button class="act" name="act" value="stop">Stop</button>{/if}
        {#if c.state === 'stopped'}<button class="act" name="act" value="go">Go on</button>{/if}
        {#if back(c.change) && c.undoes === null && !c.undone && c.asked > 0}
          <button class="act" name="act" value="undo">Take it back</button>
        {/if}
      </form>
    </section>
  {/if}
{/each}

<style>
  section {
    display: flex;
    gap: 16px;
    align-items: center;
    margin-bottom: 8px;
    padding: 5px 12px;
    font-size: 13px;
    background: var(--surface-2);
    border: 1px solid var(--rule);
  }
  form {
    display: flex;
    gap: 12px;
  }
  progress {
    width: 10rem;
    height: 6px;
    accent-color: var(--action);
  }
  .problem {
    margin-bottom: 8px;
    color: var(--failure);
  }
</style>
