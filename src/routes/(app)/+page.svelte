<script lang="ts">
  import { enhance } from '$app/forms';
  import { Button } from 'carbon-components-svelte';
  import ErrorFilled from 'carbon-icons-svelte/lib/ErrorFilled.svelte';
  import Renew from 'carbon-icons-svelte/lib/Renew.svelte';
  import PauseOutline from 'carbon-icons-svelte/lib/PauseOutline.svelte';
  import Task from 'carbon-icons-svelte/lib/Task.svelte';
  import Reply from 'carbon-icons-svelte/lib/Reply.svelte';
  import WarningAlt from 'carbon-icons-svelte/lib/WarningAlt.svelte';
  import HoursStrip from '$ui/HoursStrip.svelte';
  import { useFormat } from '$ui/format.ts';
  import { plural, number } from '$core/tell/words.ts';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();
  const t = $derived(data.today);
  let stopping = $state(false);
  const icons = {
    aside: PauseOutline,
    'live-at': WarningAlt,
    round: WarningAlt,
    doubt: WarningAlt,
    matter: ErrorFilled,
    failure: ErrorFilled,
    finding: WarningAlt,
    reply: Reply,
    retry: Renew,
    stray: Reply,
    task: Task
  };

  function difference(count: number, usual: number): string {
    const d = Math.round(count - usual);
    return d > 0 ? `+${number(d)}` : d < 0 ? `−${number(-d)}` : '0';
  }
</script>

<svelte:head><title>Today · Ambulo</title></svelte:head>

<div class="page">
  <div class="top">
    <h1>{format.longDate(t.now)}</h1>
    {#if t.halt.since === null}
      {#if stopping}
        <form
          class="stop"
          method="post"
          action="?/halt"
          use:enhance={() =>
            async ({ update }) => {
              stopping = false;
              await update();
            }}
        >
          <span
            >No email and no text of any journey goes out until somebody lets sending go on: {plural(
              t.ahead.email + t.ahead.sms,
              'message',
              'messages'
            )} in the next 24 hours. People move on meanwhile.</span
          >
          <input type="hidden" name="value" value="stop" />
          <Button size="small" kind="danger" type="submit">Stop all sending now</Button>
          <button type="button" class="act" onclick={() => (stopping = false)}>Leave it</button>
        </form>
      {:else}<button class="act" onclick={() => (stopping = true)}>Stop all sending …</button>{/if}
    {/if}
  </div>
  {#if t.halt.since !== null}
    <form class="halted" method="post" action="?/halt" use:enhance role="alert">
      <strong>All sending is stopped</strong>
      <span
        >since {format.dateTime(t.halt.since)} by {t.halt.by} · {plural(
          t.halt.waiting,
          'message waits',
          'messages wait'
        )}; what waits longer than it may does not go out any more</span
      >
      <input type="hidden" name="value" value="go-on" />
      <Button size="small" type="submit">Let sending go on</Button>
    </form>
  {/if}
  <p class="soft">
    {plural(t.walking, 'person is', 'people are')} walking {plural(t.journeys, 'journey', 'journeys')}.
    {plural(t.ahead.email, 'email', 'emails')} and {plural(t.ahead.sms, 'text', 'texts')}
    {t.halt.since === null ? 'go out' : 'would go out'} in the next 24 hours, if nobody reacts in between.
    {#if t.ahead.notCounted}{number(t.ahead.notCounted)} people are not counted.{/if}
  </p>

  <section class="box" aria-labelledby="strip">
    <h2 id="strip">Messages going out, by hour</h2>
    <HoursStrip hours={t.hours} now={t.now} />
  </section>

  <div class="two">
    <section class="box" aria-labelledby="needs">
      <h2 id="needs">Needs you</h2>
      {#if form && 'problem' in form}<p class="problem" role="alert">{form.problem}</p>{/if}
      {#if form && 'note' in form}<p class="soft" role="status">{form.note}</p>{/if}
      <ul>
        {#each t.needs as need, i (i)}
          {@const Icon = icons[need.kind]}
          <li class={need.kind}>
            <Icon size={18} aria-hidden="true" />
            <p>
              <strong>{need.title}</strong>
              <span>{need.detail}</span>
            </p>
            <span class="acts">
              {#if need.action}
                <form method="post" action="?/{need.action.name}" use:enhance>
                  <input type="hidden" name="value" value={need.action.value} />
                  <button class="act">{need.action.label}</button>
                </form>
              {/if}
              {#if need.href}<a href={need.href}>{need.act}</a>{/if}
            </span>
          </li>
        {:else}
          <li class="none">Nothing failed, nobody replied, no live journey has a finding.</li>
        {/each}
      </ul>
    </section>
    <section class="box" aria-labelledby="moved">
      <h2 id="moved">Since yesterday, {format.time(t.now)}</h2>
      <table>
        <thead class="visually-hidden"><tr><th>What</th><th>Count</th><th>Against usual</th></tr></thead>
        <tbody>
          {#each t.movement as m (m.what)}
            <tr>
              <th scope="row">{m.what}</th>
              <td class="number"><strong>{number(m.count)}</strong></td>
              <td class="number soft">{m.usual === null ? '' : difference(m.count, m.usual)}</td>
            </tr>
          {/each}
        </tbody>
      </table>
      <p class="soft note">
        The last column compares with the average of the same 24 hours in up to four weeks before.
      </p>
    </section>
  </div>
</div>

<style>
  .top,
  .stop,
  .halted {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 16px;
    align-items: center;
  }
  .top {
    justify-content: space-between;
  }
  .stop span {
    max-width: 480px;
    font-size: 13px;
  }
  .halted {
    margin: 10px 0;
    padding: 8px 12px;
    background: var(--failure-ground);
    border-left: 3px solid var(--failure);
  }
  .page {
    padding: 20px 24px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  .box {
    margin-top: 16px;
    padding: 12px 14px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  h2 {
    margin-bottom: 8px;
    font-size: 14px;
    font-weight: 700;
  }
  .two {
    display: grid;
    grid-template-columns: 1fr minmax(300px, 0.6fr);
    gap: 16px;
    align-items: start;
  }
  ul {
    max-height: 372px;
    overflow: auto;
    list-style: none;
  }
  li {
    display: grid;
    grid-template-columns: 18px 1fr auto;
    gap: 12px;
    padding: 9px 0;
    border-top: 1px solid var(--rule-soft);
  }
  li:first-child {
    border-top: 0;
  }
  li.none {
    display: block;
    color: var(--ink-soft);
  }
  li.matter :global(svg),
  li.failure :global(svg) {
    fill: var(--failure);
  }
  .acts {
    display: flex;
    gap: 12px;
    align-items: baseline;
  }
  li.aside :global(svg),
  li.finding :global(svg),
  li.retry :global(svg) {
    fill: var(--attention);
  }
  li p span {
    display: block;
    color: var(--ink-soft);
  }
  table {
    width: 100%;
    border-collapse: collapse;
  }
  tbody th {
    font-weight: 400;
    text-align: left;
  }
  tbody th,
  td {
    padding: 7px 6px;
    border-bottom: 1px solid var(--rule-soft);
  }
  td:last-child {
    width: 56px;
  }
  .note {
    margin-top: 8px;
    font-size: 12px;
  }
</style>
