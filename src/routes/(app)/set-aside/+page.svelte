<script lang="ts">
  import { enhance } from '$app/forms';
  import { number } from '$core/tell/words.ts';
  import { useFormat } from '$ui/format.ts';
  import SaveTable from '$ui/kit/SaveTable.svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();
  const ASKED: Record<string, string> = {
    set: 'a change',
    enter: 'an entry',
    existing: 'an entry',
    look: 'a look at segments',
    move: 'a move to another version',
    end: 'an ending',
    hurry: 'a wait to be skipped',
    resumed: 'a journey that goes on'
  };
  const KINDS: Record<string, string> = { notify: 'Notice to a colleague', call: 'Call', ask: 'Asking for a consent' };
</script>

<svelte:head><title>Set aside · Ambulo</title></svelte:head>

<div class="page">
  <header>
    <h1>Set aside</h1>
    <p class="soft">
      Those whose work failed wait here, each alone; everybody else goes on. They are tried again by themselves.
    </p>
  </header>
  {#if form?.problem}<p role="alert">{form.problem}</p>{/if}

  <section>
    <div class="head">
      <h2>People <span class="soft">{number(data.total)}</span></h2>
      {#if data.aside.length}
        <SaveTable
          name="set aside"
          rows={() =>
            data.aside.map((a) => ({
              since: new Date(a.since).toISOString(),
              person: a.person,
              name: a.name,
              'what happened': a.error,
              tries: a.attempts
            }))}
        />
      {/if}
      {#if data.aside.length > 1}
        <form method="post" action="?/people" use:enhance><button class="act">Try all again</button></form>
      {/if}
    </div>
    {#if data.aside.length}
      <table class="figures">
        <thead><tr><th>Since</th><th>Who</th><th>What happened</th><th>Tries</th><th></th></tr></thead>
        <tbody>
          {#each data.aside as a (a.person)}
            <tr>
              <td class="when">{format.dateTime(a.since)}</td>
              <td><a href="/people/{a.person}">{a.name}</a></td>
              <td
                >{a.error}{#if a.jamming}<small title={a.jamming.asked}
                    >waits first: {ASKED[a.jamming.name]} by {a.jamming.source}</small
                  >{/if}</td
              >
              <td>{a.attempts}</td>
              <td class="do">
                <form method="post" action="?/people" use:enhance>
                  <input type="hidden" name="person" value={a.person} />
                  <button class="act">Try again</button>
                </form>
                {#if a.jamming}
                  <form method="post" action="?/drop" use:enhance>
                    <input type="hidden" name="person" value={a.person} />
                    <input type="hidden" name="id" value={a.jamming.id} />
                    <button
                      class="act"
                      title="It is not carried out, and stays on their record as a note. What comes behind it goes on."
                      >Drop what waits first</button
                    >
                  </form>
                {/if}
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
      {#if data.total > data.aside.length}<p class="soft">The {data.aside.length} that have waited longest.</p>{/if}
    {:else}<p class="empty">Nobody is set aside.</p>{/if}
  </section>

  <section>
    <div class="head">
      <h2>Calls, notices and questions that did not arrive</h2>
      {#if data.errands.length}
        <SaveTable
          name="not arrived"
          rows={() =>
            data.errands.map((e) => ({
              due: new Date(e.at).toISOString(),
              what: KINDS[e.kind] ?? e.kind,
              person: e.person,
              name: e.name,
              journey: e.journey,
              step: e.step,
              'what happened': e.error,
              tries: e.attempts
            }))}
        />
      {/if}
    </div>
    {#if data.errands.length}
      <table class="figures">
        <thead
          ><tr><th>Due</th><th>What</th><th>About</th><th>From</th><th>What happened</th><th>Tries</th><th></th></tr
          ></thead
        >
        <tbody>
          {#each data.errands as e (`${e.person}/${e.id}`)}
            <tr>
              <td class="when">{format.dateTime(e.at)}</td>
              <td>{KINDS[e.kind]}</td>
              <td><a href="/people/{e.person}">{e.name}</a></td>
              <td><a href="/journeys/{e.journeyKey}?view=watch&step={e.step}">{e.journey}</a><small>{e.step}</small></td
              >
              <td
                >{e.error}{#if e.answer?.body}<small>{e.answer.body.slice(0, 200)}</small>{/if}</td
              >
              <td>{e.attempts}{e.state === 'queued' ? ', goes on' : ''}</td>
              <td class="do">
                <form method="post" action="?/errand" use:enhance>
                  <input type="hidden" name="person" value={e.person} /><input type="hidden" name="id" value={e.id} />
                  <button class="act">Try again</button>
                </form>
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    {:else}<p class="empty">All of them arrived.</p>{/if}
  </section>
</div>

<style>
  .page {
    padding: 20px 24px;
  }
  header {
    margin-bottom: 16px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  h2 {
    font-size: 14px;
    font-weight: 700;
  }
  section {
    margin-bottom: 24px;
  }
  .head {
    display: flex;
    gap: 16px;
    align-items: center;
    margin-bottom: 6px;
  }
  .when {
    white-space: nowrap;
  }
  .do {
    text-align: right;
  }
</style>
