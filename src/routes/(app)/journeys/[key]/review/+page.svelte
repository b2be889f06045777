<script lang="ts">
  import { enhance } from '$app/forms';
  import { Button } from 'carbon-components-svelte';
  import WarningAlt from 'carbon-icons-svelte/lib/WarningAlt.svelte';
  import { plural, number } from '$core/tell/words.ts';
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
  let going = $state(false);
  let inside = $state<'stay' | 'move'>('stay');
  const staying = $derived(r.cannotMove.reduce((n, c) => n + c.people, 0));
  const act = $derived(
    blockers.length
      ? `${plural(blockers.length, 'blocker', 'blockers')} to mend first`
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
      {#if r.enterNow}
        <p>
          {number(r.byEmail)} can be reached by email, {number(r.bySms)} by text: they have an address and gave consent.
          {#if r.heldOut}{number(r.heldOut)} of them are held out: watched, and sent nothing.{/if}
        </p>
        {#if r.estimatedFrom !== null}<p class="soft">
            An estimate, from the first {number(r.estimatedFrom)} of those who have what it starts from.
          </p>{/if}
      {:else}
        <p class="soft">
          {data.existing ? 'Nobody has what it starts from.' : 'Only those to whom it happens from now on.'}
        </p>
      {/if}
      {#if r.kept.length}
        <ul>
          {#each r.kept as k (k.reason)}<li>
              {number(k.people)} more who have what it starts from: {WHY[k.reason] ?? k.reason}.
            </li>{/each}
        </ul>
      {/if}
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
      {:else}<p class="soft">None.</p>{/each}
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
  .grid {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 14px;
  }
  section {
    padding: 12px 14px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  .wide {
    grid-column: 1 / -1;
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
