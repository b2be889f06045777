<script lang="ts">
  import { enhance } from '$app/forms';
  import { Button, TextInput } from 'carbon-components-svelte';
  import WarningAlt from 'carbon-icons-svelte/lib/WarningAlt.svelte';
  import { plural, number } from '$core/tell/words.ts';
  import { useFormat } from '$ui/format.ts';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const r = $derived(data.review);
  const blockers = $derived(r.findings.filter((f) => f.severity === 'blocker'));
  const WHY: Record<string, string> = {
    where: 'kept out by the rule for entering',
    walking: 'kept out because they are in it now',
    once: 'kept out because they were in it before',
    goal: 'kept out because they have reached the goal',
    leave: 'kept out by a leave rule'
  };
  const UNREACHED: Record<string, string> = {
    'no address': 'have no address',
    'no consent': 'gave no consent',
    suppressed: 'are suppressed'
  };
  const range = ([low, high]: [number, number]): string =>
    high === 0 ? '–' : low === high ? number(high) : `${number(low)} to ${number(high)}`;
  const most = $derived(Math.max(1, ...r.volume.map((d) => d.email[1] + d.sms[1])));
  const share = (n: number): number => Math.max(0, (100 * n) / most);
  const format = useFormat();
  let going = $state(false);
  let when = $state<'now' | 'later'>('now');
  let inside = $state<'stay' | 'move'>('stay');
  const staying = $derived(r.cannotMove.reduce((n, c) => n + c.people, 0));
  const act = $derived(
    blockers.length
      ? `${plural(blockers.length, 'blocker', 'blockers')} to mend first`
      : when === 'later'
        ? 'Set live at that time'
        : `Set live: ${r.enterNow === 1 ? '1 person enters' : `${number(r.enterNow)} people enter`} now`
  );
</script>

<svelte:head><title>Review {data.journey.name} · Ambulo</title></svelte:head>

<div class="page">
  <header>
    <h1>Before version {r.nextVersion} of {data.journey.name} goes live</h1>
    <form
      id="go"
      method="post"
      use:enhance={() => {
        going = true;
        return async ({ update }) => {
          await update();
          going = false;
        };
      }}
    >
      <input type="hidden" name="revision" value={data.journey.revision} />
      <Button type="submit" disabled={blockers.length > 0 || going}>{act}</Button>
      <Button kind="ghost" href="/journeys/{data.journey.key}">Back to the sheet</Button>
    </form>
  </header>
  {#if form?.problem}<p class="problem" role="alert">{form.problem}</p>{/if}
  <div class="grid">
    <section>
      <h2>Who enters now</h2>
      <p class="big">{plural(r.enterNow, 'person', 'people')}</p>
      {#if r.matching}
        <table class="funnel">
          <tbody>
            <tr><th scope="row">have what it starts from</th><td>{number(r.matching)}</td></tr>
            {#each r.kept as k (k.reason)}
              <tr class="less"><th scope="row">{WHY[k.reason] ?? k.reason}</th><td>− {number(k.people)}</td></tr>
            {/each}
            <tr><th scope="row">enter</th><td>{number(r.enterNow)}</td></tr>
            {#if r.heldOut}<tr class="less"
                ><th scope="row">held out: watched, and sent nothing</th><td>− {number(r.heldOut)}</td></tr
              >{/if}
            {#if r.first}
              {#each r.first.unreached as u (u.reason)}
                <tr class="less"
                  ><th scope="row"
                    >{UNREACHED[u.reason]} for the first {r.first.channel === 'sms' ? 'text' : 'email'}</th
                  ><td>− {number(u.people)}</td></tr
                >
              {/each}
              <tr class="last"
                ><th scope="row">get the first {r.first.channel === 'sms' ? 'text' : 'email'}</th><td
                  >{number(r.first.reached)}</td
                ></tr
              >
            {/if}
          </tbody>
        </table>
        <p class="soft">
          {number(r.byEmail)} of those who enter can be reached by email, {number(r.bySms)} by text.
          {#if r.estimatedFrom !== null}An estimate, from the first {number(r.estimatedFrom)} of them.{/if}
        </p>
      {:else}
        <p class="soft">
          {data.existing ? 'Nobody has what it starts from.' : 'Only those to whom it happens from now on.'}
        </p>
      {/if}
      {#if data.opens}<p>People are let in from {format.dateTime(data.opens)}.</p>{/if}
    </section>
    <section>
      <h2>
        The first week <span class="soft"
          >messages to {data.review.enterNow
            ? 'those who enter now'
            : `every ${number(r.volumeOf)} people who enter`}</span
        >
      </h2>
      {#if r.volumeOf && r.volume.some((d) => d.email[1] + d.sms[1])}
        <table class="volume">
          <thead><tr><th scope="col">Day</th><th scope="col">Emails</th><th scope="col">Texts</th><th></th></tr></thead>
          <tbody>
            {#each r.volume as d (d.day)}
              <tr>
                <th scope="row">{d.day}</th><td>{range(d.email)}</td><td>{range(d.sms)}</td>
                <td class="bar" aria-hidden="true"
                  ><i style="width: {share(d.email[0] + d.sms[0])}%"></i><i
                    class="more"
                    style="width: {share(d.email[1] + d.sms[1] - d.email[0] - d.sms[0])}%"
                  ></i></td
                >
              </tr>
            {/each}
          </tbody>
        </table>
        <p class="soft">
          From nobody reacting to everybody opening and following the first link, as the engine would send them.
        </p>
      {:else}<p class="soft">No message in the first week.</p>{/if}
    </section>
    <section>
      <h2>When</h2>
      <fieldset>
        <legend class="visually-hidden">When it goes live</legend>
        <label><input type="radio" name="when" value="now" form="go" bind:group={when} /> Now</label>
        <div class="later">
          <label><input type="radio" name="when" value="later" form="go" bind:group={when} /> At</label>
          <TextInput
            size="sm"
            type="datetime-local"
            name="at"
            form="go"
            hideLabel
            labelText="Day and time"
            disabled={when === 'now'}
            required={when === 'later'}
          />
        </div>
      </fieldset>
      {#if when === 'later'}<p class="soft">
          It goes live as it is reviewed here, whatever the draft becomes until then; who enters is asked at that time.
        </p>{/if}
    </section>
    <section>
      <h2>Who is inside already</h2>
      <p class="big">{plural(r.insideEarlier, 'person', 'people')}</p>
      {#if r.insideEarlier}
        <fieldset>
          <legend class="visually-hidden">What becomes of those inside</legend>
          <label
            ><input type="radio" name="inside" value="stay" form="go" bind:group={inside} /> They finish on the version they
            entered</label
          >
          <label
            ><input type="radio" name="inside" value="move" form="go" bind:group={inside} /> They go on in this one, where
            the step they stand on is still there</label
          >
        </fieldset>
        {#if inside === 'move'}
          <p>
            {plural(r.insideEarlier - staying, 'person goes', 'people go')} on in this version{staying
              ? `; ${number(staying)} stay in theirs, because their step is gone:`
              : '.'}
          </p>
          {#if r.cannotMove.length}
            <ul>
              {#each r.cannotMove as c (c.step)}<li>{number(c.people)} on {c.step}</li>{/each}
            </ul>
          {/if}
        {:else}<p class="soft">What you change is for those who enter from now on.</p>{/if}
      {:else}<p class="soft">Nobody is inside an earlier version.</p>{/if}
    </section>
    <section>
      <h2>What changed {data.journey.version === null ? '' : `since version ${data.journey.version}`}</h2>
      {#if data.changes === null}<p class="soft">This is its first version: all of it is new.</p>
      {:else}
        <ul>
          {#each data.changes as c, i (i)}<li>{c.text}</li>{:else}<li class="soft">
              Nothing. It is the same as the live version.
            </li>{/each}
        </ul>
      {/if}
    </section>
    <section>
      <h2>Findings <span class="soft">{r.findings.length}</span></h2>
      {#each r.findings as f, i (i)}
        <p class="finding">
          <WarningAlt size={16} aria-hidden="true" /><span
            >{#if f.severity === 'blocker'}<strong class="blocks">Blocks going live.</strong>{/if}{f.text}
            <a href="/journeys/{data.journey.key}{f.step ? `?step=${f.step}` : ''}">{f.hint}</a></span
          >
        </p>
      {:else}<p class="soft">None{r.accepted.length ? ' besides those accepted' : ''}.</p>{/each}
      {#each r.accepted as a, i (i)}
        <p class="soft">{a.finding.text} <em>Accepted by {a.by}: {a.reason}</em></p>
      {/each}
    </section>
    <section>
      <h2>What it does to other journeys</h2>
      {#each r.setsOff as j (j.key)}<p>
          Lets people into <a href="/journeys/{j.key}">{j.name}</a>{j.live ? '' : ', which takes nobody in now'}.
        </p>{/each}
      {#if r.takesFrom === 'others'}<p>Takes people out of all other journeys.</p>
      {:else}{#each r.takesFrom as j (j.key)}<p>
            Takes people out of <a href="/journeys/{j.key}">{j.name}</a>.
          </p>{/each}{/if}
      {#if !r.setsOff.length && !r.takesFrom.length}<p class="soft">
          Nothing: it sets none off and takes nobody out of any.
        </p>{/if}
    </section>
    <section class="wide">
      <h2>Read it once more</h2>
      <div class="read">
        {#each data.sentences as s, i (i)}<p>
            <span class="soft">{s.moment}</span><span style="padding-left: {s.depth * 14}px">{s.text}</span>
          </p>{/each}
      </div>
    </section>
  </div>
</div>

<style>
  table {
    width: 100%;
    margin: 4px 0 6px;
    border-collapse: collapse;
    font-variant-numeric: tabular-nums;
  }
  .funnel th,
  .volume th {
    padding: 2px 0;
    font-weight: 400;
    text-align: left;
  }
  .funnel td,
  .volume td,
  .volume thead th + th {
    padding: 2px 0 2px 12px;
    text-align: right;
    white-space: nowrap;
  }
  .funnel .less {
    color: var(--ink-soft);
  }
  .funnel .last {
    font-weight: 650;
    border-top: 1px solid var(--rule);
  }
  .volume thead {
    color: var(--ink-soft);
    font-size: 12.5px;
  }
  .volume .bar {
    display: flex;
    align-items: center;
    width: 150px;
    height: 20px;
    padding-left: 14px;
  }
  .bar i {
    height: 9px;
    background: var(--action);
  }
  .bar .more {
    background: var(--action-light);
  }
  .page {
    max-width: 1080px;
    padding: 20px 24px 40px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  fieldset {
    display: grid;
    gap: 4px;
    margin: 4px 0 8px;
    border: 0;
  }
  .later {
    display: grid;
    grid-template-columns: auto 230px;
    gap: 10px;
    align-items: center;
  }
  .grid {
    column-count: 2;
    column-gap: 14px;
  }
  section {
    margin-bottom: 14px;
    padding: 12px 14px;
    break-inside: avoid;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  .wide {
    margin-top: 14px;
    column-span: all;
  }
  h2 {
    font-size: 13px;
    font-weight: 700;
  }
  .big {
    margin: 2px 0 4px;
    font-size: 22px;
    font-weight: 650;
  }
  ul {
    padding-left: 18px;
  }
  .read {
    max-height: 220px;
    overflow: auto;
  }
  .read p {
    display: grid;
    grid-template-columns: 104px 1fr;
    padding: 1px 0;
  }
  .finding {
    display: grid;
    grid-template-columns: 16px 1fr;
    gap: 8px;
    padding: 4px 0;
  }
  .finding :global(svg) {
    margin-top: 2px;
    fill: var(--attention);
  }
  .problem {
    margin-bottom: 12px;
    padding: 8px 12px;
    color: var(--failure);
    background: var(--failure-ground);
    border-left: 3px solid var(--failure);
  }
  header {
    display: flex;
    gap: 16px;
    justify-content: space-between;
    align-items: center;
    margin-bottom: 14px;
  }
  form {
    display: flex;
    flex: none;
    gap: 8px;
  }
</style>
