<!-- Pausing a live journey, closing it to new people, and letting it go on: each said in numbers before it is done. -->
<script lang="ts">
  import { enhance } from '$app/forms';
  import { Button } from 'carbon-components-svelte';
  import type { BrakeAct, BrakeFigures } from '$server/journeys/brake.ts';
  import type { JourneyState } from '$server/journeys/journeys.ts';
  import { plural } from '$core/tell/words.ts';
  import { useFormat } from '$ui/format.ts';
  import { refreshLive } from '$ui/kit/refresh.ts';

  interface Props {
    state: JourneyState;
    figures: BrakeFigures;
    last: { what: string; by: string; at: number } | null;
    problem: string;
  }
  let { state: now, figures, last, problem }: Props = $props();
  const format = useFormat();

  const inside = $derived(plural(figures.inside, 'person', 'people'));
  const waiting = $derived(plural(figures.waiting, 'message', 'messages'));
  const since = $derived(last ? `since ${format.dateTime(last.at)}, by ${last.by}` : '');

  const ACTS: Record<BrakeAct, { label: string; sure: string }> = {
    pause: { label: 'Pause', sure: 'Pause it now' },
    close: { label: 'Close to new people', sure: 'Close it' },
    end: { label: 'End for everyone', sure: 'End it now' },
    archive: { label: 'Archive', sure: 'Archive it' },
    unarchive: { label: 'Take out of the archive', sure: 'Take it out' },
    resume: { label: 'Let it go on', sure: 'Let it go on' },
    reopen: { label: 'Open to new people', sure: 'Open it' }
  };
  const WORDS = $derived<Record<BrakeAct, string>>({
    pause: `${inside} stand still and nothing goes out${figures.waiting ? `, nor do ${waiting} that wait` : ''}, until it goes on. What people do meanwhile is kept, and heard of then.`,
    close: `Nobody new gets in. ${inside} inside go on to the end.`,
    resume: `${inside} move on: what happened meanwhile is heard of in its order, then what is late comes. ${
      figures.waiting ? `${waiting} go out` : 'No message waits'
    }${figures.tooLate ? `, but for ${figures.tooLate} that waited longer than they may` : ''}.`,
    reopen: 'New people get in again. Who would have got in meanwhile does not.',
    end: `${inside} leave it at once${figures.waiting ? `, and ${waiting} that wait do not go out` : ''}. This cannot be taken back.`,
    archive: 'It is put away, with all that is on record of it, and no longer stands among the others.',
    unarchive: 'It stands among the others again, as it was.'
  });
  const possible = $derived<BrakeAct[]>(
    {
      live: ['pause', 'close', 'end'],
      paused: ['resume', 'end'],
      closing: ['pause', 'reopen', 'end'],
      closed: ['archive'],
      archived: ['unarchive'],
      draft: ['archive']
    }[now] as BrakeAct[]
  );
  let asked = $state<BrakeAct | null>(null);
  const act = $derived(asked && possible.includes(asked) ? asked : null);
</script>

{#if possible.length}
  <section class:paused={now === 'paused'} aria-label="Brake">
    {#if now === 'paused'}<strong>Paused</strong> <span class="soft">{since}</span>
    {:else if now === 'closed'}<strong>Ended</strong> <span class="soft">{since}</span>
    {:else if now === 'archived'}<strong>Archived</strong> <span class="soft">{since}</span>
    {:else if now === 'closing'}<strong>Closed to new people</strong> <span class="soft">{since}</span>{/if}
    {#if act}
      <p>{WORDS[act]}</p>
      <form
        method="post"
        action="?/brake"
        use:enhance={() =>
          async ({ update }) => {
            asked = null;
            await update({ reset: false });
            // Also where it was refused: somebody else has changed what stands here.
            await refreshLive();
          }}
      >
        <input type="hidden" name="act" value={act} />
        <Button size="small" type="submit">{ACTS[act].sure}</Button>
      </form>
      <button class="act" onclick={() => (asked = null)}>Leave it</button>
    {:else}
      {#each possible as a (a)}<button class="act" onclick={() => (asked = a)}>{ACTS[a].label} …</button>{/each}
    {/if}
    {#if problem}<span class="problem" role="alert">{problem}</span>{/if}
  </section>
{/if}

<style>
  section {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 16px;
    align-items: center;
    padding: 6px 18px;
    font-size: 13px;
    background: var(--surface-2);
    border-bottom: 1px solid var(--rule);
  }
  .paused {
    background: var(--attention-ground);
    border-left: 3px solid var(--attention-line);
  }
  .problem {
    color: var(--failure);
  }
</style>
