<script lang="ts">
  import type { Journey } from '$core/journey/schema.ts';
  import type { LaneRow } from '$core/sheet/layout.ts';
  import { laneAt, placeOf } from '$core/edit/edit.ts';
  import { kindOf } from '$core/steps/index.ts';
  import { namingOf } from '$core/tell/read-through.ts';
  import type { PeopleThere, SheetFigures } from '$server/results/sheet-figures.ts';
  import { send } from '$ui/api.ts';
  import { useFormat } from '$ui/format.ts';
  import { fieldText, heading, plural, number } from '$core/tell/words.ts';
  import SaveTable from '$ui/kit/SaveTable.svelte';
  import type { Selection } from './editor.svelte.ts';

  interface Props {
    journeyKey: string;
    journey: Journey;
    selection: Selection;
    lane: LaneRow | null;
    onlane: (row: LaneRow | null) => void;
    figures: SheetFigures;
  }
  let { journeyKey, journey, selection, lane, onlane, figures }: Props = $props();
  const format = useFormat();
  const STANDS = {
    wait: 'waiting',
    held: 'held for sending hours',
    listen: 'listening',
    task: 'waiting for a task',
    'held-out': 'held out'
  } as const;
  const name = $derived(namingOf(journey));

  /** The step whose people are shown: the one selected, or the wait of the selected gap. */
  const step = $derived.by(() => {
    if (selection.at === 'card') return placeOf(journey, selection.key)?.step ?? null;
    if (selection.at === 'gap') {
      const before = laneAt(journey, selection.lane)?.[selection.index - 1];
      return before?.kind === 'wait' ? before : null;
    }
    return null;
  });
  const query = $derived(
    lane?.openedBy
      ? `?step=${encodeURIComponent(lane.openedBy)}&lane=${encodeURIComponent(lane.label)}`
      : step
        ? `?step=${encodeURIComponent(step.key)}`
        : ''
  );
  const title = $derived.by(() => {
    if (lane) return `People who took the lane “${lane.label}”`;
    if (step?.kind === 'wait') return 'People waiting here';
    return step ? `People who stand on ${kindOf(step).card(step).title}` : 'People walking this journey';
  });
  let shown = $state<PeopleThere | null>(null);
  let problem = $state('');

  $effect(() => {
    // Figures move when people do, so the list is asked for anew with them.
    void figures;
    const url = `/api/journeys/${journeyKey}/people${query}`;
    let current = true;
    void send<PeopleThere>('GET', url).then((answer) => {
      if (!current) return;
      problem = answer.ok ? '' : answer.message;
      if (answer.ok) shown = answer.data;
    });
    return () => (current = false);
  });
  $effect(() => {
    void selection;
    onlane(null);
  });
  const iso = (at: number | null): string | null => (at === null ? null : new Date(at).toISOString());
  const rows = () =>
    (shown?.people ?? []).map((p) => ({
      person: p.id,
      name: p.name,
      ...(shown?.shown.field ? { [shown.shown.field]: fieldText(p.field) } : {}),
      stands: p.standing === null ? 'gone on' : STANDS[p.standing],
      since: iso(p.since),
      'moves on': iso(p.due),
      ...(shown?.shown.score ? { [shown.shown.score]: p.score } : {}),
      'last did': p.lastDid,
      'last did at': iso(p.lastDidAt)
    }));
  /** What became of sending again, until something else is looked at. */
  let resent = $state('');
  $effect(() => {
    void step?.key;
    resent = '';
  });
  async function resend(act: 'again' | 'now'): Promise<void> {
    if (!step) return;
    const url = `/api/journeys/${journeyKey}/messages`;
    const answer = await send<{ again: number; kept: number }>('POST', url, { step: step.key, act });
    if (!answer.ok) resent = answer.message;
    else {
      const { again, kept } = answer.data;
      const stay = kept ? `; ${number(kept)} stay: suppressed, or without consent` : '';
      resent = `${plural(again, 'message goes', 'messages go')} out again${stay}.`;
    }
  }
  const stepFigures = $derived(step ? figures.steps[step.key] : null);
</script>

<section aria-label={title}>
  <header>
    <h2>
      {title} <span class="count">{number(shown?.total ?? 0)}</span>
      {#if shown?.people.length}<SaveTable name={title} {rows} />{/if}
    </h2>
    {#if stepFigures && step && (step.kind === 'email' || step.kind === 'sms')}
      <p class="soft">
        {name(step.key)}: {plural(stepFigures.done, 'sent', 'sent')}, {number(stepFigures.opened)} opened, {number(
          stepFigures.clicked
        )} followed a link,
        {number(stepFigures.replied)} replied, {number(stepFigures.skipped)} skipped, {number(stepFigures.failed)} not delivered{#if stepFigures.held},
          {number(stepFigures.held)} held for sending hours{/if}{#if stepFigures.retrying},
          {number(stepFigures.retrying)} waiting for another try
          <button class="act" onclick={() => void resend('now')}>Try now</button>{/if}
        {#if stepFigures.failed}<button class="act" onclick={() => void resend('again')}>Send again</button>{/if}
        {#if resent}<span role="status">{resent}</span>{/if}
      </p>
    {:else if figures.left.length}
      <p class="soft">Left early: {figures.left.map((l) => `${number(l.people)} ${l.reason}`).join(', ')}</p>
    {/if}
  </header>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (a part that scrolls must be reachable by keyboard) -->
  <div class="box" role="region" tabindex="0" aria-label="{title}, table">
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    {#if shown?.people.length}
      <table class="figures">
        <thead
          ><tr
            ><th>Person</th>{#if shown.shown.field}<th>{heading(shown.shown.field)}</th>{/if}<th>Stands</th><th
              >Since</th
            ><th>Moves on</th>{#if shown.shown.score}<th class="number">{heading(shown.shown.score)}</th>{/if}<th
              >Last did</th
            ></tr
          ></thead
        >
        <tbody>
          {#each shown.people as p (p.id)}
            <tr>
              <td><a href="/people/{p.id}">{p.name}</a></td>
              {#if shown.shown.field}<td>{fieldText(p.field)}</td>{/if}
              <td>{p.standing === null ? 'gone on' : STANDS[p.standing]}</td>
              <td>{p.since === null ? '' : format.dateTime(p.since)}</td>
              <td>{p.due === null ? '' : format.dateTime(p.due)}</td>
              {#if shown.shown.score}<td class="number">{p.score ?? ''}</td>{/if}
              <td>{p.lastDid ? `${p.lastDid}, ${format.dateTime(p.lastDidAt ?? 0)}` : 'nothing yet'}</td>
            </tr>
          {/each}
        </tbody>
      </table>
      {#if shown.total > shown.people.length}<p class="soft more">
          The latest {number(shown.people.length)} of {number(shown.total)}.
        </p>{/if}
    {:else if shown}
      <p class="soft more">Nobody {lane ? 'took this lane' : step ? 'stands here' : 'is walking'} now.</p>
    {/if}
  </div>
</section>

<style>
  section {
    flex: none;
    background: var(--surface);
    border-top: 1px solid var(--rule-strong);
  }
  header {
    padding: 8px 18px 6px;
  }
  h2 {
    font-size: 14px;
    font-weight: 700;
  }
  .count {
    color: var(--ink-soft);
    font-weight: 400;
  }
  header p {
    font-size: 12.5px;
  }
  .box {
    height: 208px;
    padding: 0 18px 8px;
    overflow: auto;
  }
  .box :global(th) {
    position: sticky;
    top: 0;
    background: var(--surface);
  }
  .box :global(td) {
    padding: 4px 8px;
  }
  .more {
    padding: 8px;
  }
  .problem {
    color: var(--failure);
  }
</style>
