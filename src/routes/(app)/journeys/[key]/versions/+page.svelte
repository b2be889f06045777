<!-- Any two editions of a journey, side by side: in words, and on the sheet. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { plural } from '$core/tell/words.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { useFormat } from '$ui/format.ts';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();

  const options = $derived([
    ['draft', 'the draft'] as const,
    ...data.versions.map((v) => [String(v.number), `version ${v.number}, since ${format.date(v.live_from)}`] as const)
  ]);
  const called = (which: 'draft' | number): string => (which === 'draft' ? 'The draft' : `Version ${which}`);
  const show = (part: { from?: string; to?: string }): void =>
    void goto(`?from=${part.from ?? data.from}&to=${part.to ?? data.to}`, { replaceState: true, keepFocus: true });
  const TOLD = { '=': '', '~': 'in other words', '−': 'gone', '+': 'new' };
  const SIGN = { added: '+', removed: '−', changed: '~', moved: '→', rule: '~' };
</script>

<svelte:head><title>Versions of {data.journey.name} · Ambulo</title></svelte:head>

<div class="page">
  <header>
    <h1>Versions of {data.journey.name}</h1>
    <div class="choose">
      <Pick label="The older one" {options} value={String(data.from)} onchange={(from) => show({ from })} />
      <span class="soft">and</span>
      <Pick label="The newer one" {options} value={String(data.to)} onchange={(to) => show({ to })} />
    </div>
  </header>
  {#if form?.problem}<p class="problem" role="alert">{form.problem}</p>{/if}
  {#if !data.versions.length}
    <p class="soft">
      Nothing was set live yet: there is only the draft. Each time it goes live it becomes a version, and stands here.
    </p>
  {:else}
    <section>
      <h2>
        {plural(data.changes.length, 'change', 'changes')} from {called(data.from).toLowerCase()} to {called(
          data.to
        ).toLowerCase()}
      </h2>
      <ul>
        {#each data.changes as c, i (i)}
          <li><b aria-hidden="true">{SIGN[c.kind]}</b>{c.text}</li>
        {:else}<li class="soft">None: they are the same.</li>{/each}
      </ul>
    </section>
    <section aria-label="Both in words">
      <table>
        <thead>
          <tr><th scope="col">{called(data.from)}</th><th></th><th scope="col">{called(data.to)}</th></tr>
        </thead>
        <tbody>
          {#each data.rows as r, i (i)}
            <tr class:differs={r.sign !== '='}>
              <td>{@render sentence(r.before)}</td>
              <td class="sign"
                >{#if r.sign !== '='}<b title={TOLD[r.sign]}>{r.sign}</b>{/if}</td
              >
              <td>{@render sentence(r.after)}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </section>
    <div class="sheets">
      {#each [data.from, data.to] as which, i (i)}
        <section aria-label={called(which)}>
          <div class="head">
            <h2>{called(which)}</h2>
            {#if which !== 'draft' && data.journey.lockedBy === null}
              <form method="post" action="?/back">
                <input type="hidden" name="version" value={which} />
                <input type="hidden" name="revision" value={data.journey.revision} />
                <button class="act">Go back to version {which}: make it the draft</button>
              </form>
            {/if}
          </div>
          <!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls by keyboard) -->
          <div class="sheet" tabindex="0" role="group" aria-label="Sheet of {called(which).toLowerCase()}">
            <!-- eslint-disable-next-line svelte/no-at-html-tags (made by core/sheet/picture.ts, which escapes all text) -->
            {@html data.pictures[i]}
          </div>
        </section>
      {/each}
    </div>
  {/if}
</div>

{#snippet sentence(s: { moment: string; depth: number; text: string } | null)}
  {#if s}<span class="soft">{s.moment}</span><span style="padding-left: {s.depth * 12}px">{s.text}</span>{/if}
{/snippet}

<style>
  table {
    width: 100%;
    border-collapse: collapse;
    table-layout: fixed;
  }
  th {
    padding: 0 0 4px;
    font-size: 13px;
    font-weight: 700;
    text-align: left;
  }
  th:nth-child(2) {
    width: 34px;
  }
  td {
    padding: 3px 0;
    vertical-align: top;
  }
  td > .soft {
    display: inline-block;
    min-width: 92px;
    padding-right: 8px;
    vertical-align: top;
  }
  td > span + span {
    display: inline-block;
    box-sizing: border-box;
    width: calc(100% - 100px);
  }
  tr.differs td {
    background: var(--attention-ground);
  }
  .sign {
    color: var(--attention);
    text-align: center;
  }
  /* Beside each other where both can be read so; on a narrower window one below the other. */
  .sheets {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(min(100%, 820px), 1fr));
    column-gap: 14px;
  }
  .page {
    padding: 20px 24px 40px;
  }
  header {
    display: flex;
    gap: 16px;
    justify-content: space-between;
    align-items: center;
    margin-bottom: 14px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  h2 {
    font-size: 13px;
    font-weight: 700;
  }
  .choose {
    display: flex;
    gap: 10px;
    align-items: center;
    min-width: 420px;
  }
  section {
    margin-bottom: 14px;
    padding: 12px 14px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  ul {
    list-style: none;
  }
  li b {
    display: inline-block;
    width: 18px;
    color: var(--attention);
  }
  .head {
    display: flex;
    justify-content: space-between;
    margin-bottom: 8px;
  }
  .sheet {
    overflow: auto;
  }
  .problem {
    margin-bottom: 12px;
    padding: 8px 12px;
    color: var(--failure);
    background: var(--failure-ground);
    border-left: 3px solid var(--failure);
  }
</style>
