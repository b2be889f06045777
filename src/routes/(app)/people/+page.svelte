<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { enhance } from '$app/forms';
  import { Button } from 'carbon-components-svelte';
  import type { Sort } from '$server/people/people.ts';
  import FindBox from '$ui/kit/FindBox.svelte';
  import Pick from '$ui/kit/Pick.svelte';
  import SortHeader from '$ui/kit/SortHeader.svelte';
  import { useFormat } from '$ui/format.ts';
  import { fieldText, heading, plural, number } from '$core/tell/words.ts';
  import { conditionWords } from '$core/tell/condition.ts';
  import type { Condition } from '$core/condition/schema.ts';
  import ManyBar from '$ui/people/ManyBar.svelte';
  import ManyDone from '$ui/people/ManyDone.svelte';
  import Sieve from '$ui/people/Sieve.svelte';
  import { selectionFrom } from '$ui/people/selection.ts';
  import type { Place } from '$server/people/people.ts';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();
  let timer: ReturnType<typeof setTimeout>;

  function address(change: Record<string, string | null>): string {
    const query = new URLSearchParams(page.url.searchParams);
    for (const key of ['from', 'way', 'value', 'id']) query.delete(key);
    for (const [key, value] of Object.entries(change))
      if (value) query.set(key, value);
      else query.delete(key);
    return `?${query}`;
  }
  /** The page behind or before a place; `from` is for the words below the table. */
  function pageAt({ way, value, id }: Place, from: number): string {
    const query = new URLSearchParams(address({}));
    query.set('from', String(Math.max(1, from)));
    query.set('way', way);
    if (value !== null) query.set('value', value);
    query.set('id', String(id));
    return `?${query}`;
  }
  function fileQuery(format: string): string {
    const query = new URLSearchParams({ format });
    if (fewTicked) return `${query}&ids=${[...ticked].join(',')}`;
    for (const key of ['q', 'tag', 'where']) {
      const value = page.url.searchParams.get(key);
      if (value) query.set(key, value);
    }
    return String(query);
  }
  function search(text: string): void {
    clearTimeout(timer);
    timer = setTimeout(
      () => void goto(address({ q: text }), { replaceState: true, keepFocus: true, noScroll: true }),
      200
    );
  }
  const sorter = {
    get value(): { by: Sort | null; down: boolean } {
      return { by: data.search.sort, down: data.search.descending };
    },
    set value(next: { by: Sort | null; down: boolean }) {
      void goto(address({ sort: next.by, down: next.down ? '1' : null }), { replaceState: true, noScroll: true });
    }
  };
  // svelte-ignore state_referenced_locally
  let sieve = $state(data.search.where !== null);
  let many = $state(false);
  /** Ticked by hand. */
  let ticked = $state<Set<number>>(new Set());
  /** As many as an address holds. */
  const fewTicked = $derived(ticked.size > 0 && [...ticked].join(',').length < 5000);
  function tick(id: number): void {
    const next = new Set(ticked);
    if (!next.delete(id)) next.add(id);
    ticked = next;
  }
  const onPage = $derived(data.people.map((p) => p.id));
  const all = $derived(onPage.length > 0 && onPage.every((id) => ticked.has(id)));
  function tickAll(): void {
    const next = new Set(ticked);
    for (const id of onPage)
      if (all) next.delete(id);
      else next.add(id);
    ticked = next;
  }
  const shownSelection = $derived(selectionFrom(page.url.searchParams) ?? {});
  const selection = $derived(ticked.size ? { ids: [...ticked] } : shownSelection);
  const whom = $derived(
    ticked.size
      ? `The ${plural(ticked.size, 'person', 'people')} ticked`
      : `All ${plural(data.total, 'person', 'people')} found`
  );
  let narrowing: ReturnType<typeof setTimeout>;
  function narrow(where: Condition | null): void {
    clearTimeout(narrowing);
    narrowing = setTimeout(
      () =>
        void goto(address({ where: where && JSON.stringify(where) }), {
          replaceState: true,
          keepFocus: true,
          noScroll: true
        }),
      250
    );
  }
  const said = $derived(form as { manyProblem?: string } | null);
  const first = $derived(data.from);
  const last = $derived(Math.min(data.total, first + data.perPage - 1));
</script>

{#snippet shownFact(fact: 'field' | 'score', names: string[])}
  <form method="post" action="?/show" use:enhance>
    <input type="hidden" name="fact" value={fact} />
    <Pick
      name="name"
      label="{fact === 'field' ? 'Field' : 'Score'} shown here"
      options={[
        ['', fact === 'field' ? 'no field' : 'no score'],
        ...names.map((n): [string, string] => [n, heading(n)])
      ]}
      value={data.search.shown[fact] ?? ''}
      onchange={(_, form) => form?.requestSubmit()}
    />
  </form>
{/snippet}

<svelte:head><title>People · Ambulo</title></svelte:head>

<div class="page">
  <header>
    <div>
      <h1>People</h1>
      <p class="soft" role="status">
        {data.more ? (data.search.text || data.search.tag ? 'more than ' : 'about ') : ''}{plural(
          data.total,
          'person',
          'people'
        )}{data.search.text ? ` with “${data.search.text}”` : ''}{data.search.tag
          ? ` who have the tag ${data.search.tag}`
          : ''}{data.search.where ? ` · they ${conditionWords(data.search.where, String)}` : ''}
      </p>
    </div>
    <FindBox
      label="Search people by name or address"
      placeholder="Search name or address"
      value={data.search.text}
      oninput={search}
    />
    <div class="tag">
      <Pick
        label="Only with the tag"
        options={[['', 'any tag'], ...data.tags.map((t): [string, string] => [t, t])]}
        value={data.search.tag ?? ''}
        onchange={(tag) => void goto(address({ tag: tag || null }))}
      />
    </div>
    <Button size="field" kind="tertiary" on:click={() => (sieve = !sieve)}>Only those who …</Button>
    <Button size="field" href="/people/import">Import people</Button>
  </header>
  <ManyDone done={data.done} journeys={data.journeys} problem={said?.manyProblem ?? ''} now={data.clock.now} />
  {#if data.problem}<p class="problem" role="alert">{data.problem}</p>{/if}
  {#if many}
    <ManyBar
      {selection}
      {whom}
      known={data.known}
      journeys={data.journeys}
      onclose={() => ((many = false), (ticked = new Set()))}
    />
  {/if}
  <div class="beside">
    <div class="found">
      <div class="acts">
        {#if data.people.length}
          <button class="act" onclick={() => (many = true)}
            >{ticked.size ? `With the ${number(ticked.size)} ticked …` : `With all ${number(data.total)} …`}</button
          >
          {#if ticked.size === 2}<a href="/people/doubles?a={[...ticked][0]}&b={[...ticked][1]}"
              >See the two side by side</a
            >{/if}
          <span class="soft"
            >Save {fewTicked ? 'them ' : ticked.size ? 'all that are found ' : ''}as
            <a href="/people/export?{fileQuery('csv')}" download>CSV</a>,
            <a href="/people/export?{fileQuery('ndjson')}" download>NDJSON</a></span
          >
        {/if}
        <nav class="around" aria-label="About people">
          <a href="/people/segments">Segments</a>
          <a href="/people/engagement">Engagement</a>
          <a href="/people/doubles">Doubles</a>
          <a href="/people/suppressed">Suppressed</a>
          <a href="/people/names">Tags, lists and fields</a>
        </nav>
      </div>
      {#if data.people.length}
        <!-- svelte-ignore a11y_no_noninteractive_tabindex (a part that scrolls must be reachable by keyboard) -->
        <div class="scroll" role="region" tabindex="0" aria-label="People, table">
          <table class="figures">
            <thead>
              <tr>
                <th scope="col" class="tick"
                  ><input type="checkbox" aria-label="Tick all on this page" checked={all} onchange={tickAll} /></th
                >
                <SortHeader name="Name" column="name" bind:sort={sorter.value} />
                <SortHeader name="Email" column="email" bind:sort={sorter.value} />
                <th scope="col">Phone</th>
                {#if data.search.shown.field}<th scope="col">{heading(data.search.shown.field)}</th>{/if}
                <th scope="col">Tags</th>
                <th scope="col">Consent <small>email · text</small></th>
                {#if data.search.shown.score}
                  <SortHeader name={heading(data.search.shown.score)} column="score" bind:sort={sorter.value} figure />
                {/if}
                <SortHeader name="Walks now" column="walking" bind:sort={sorter.value} figure />
                <SortHeader name="Last did" column="last" bind:sort={sorter.value} />
              </tr>
            </thead>
            <tbody>
              {#each data.people as p (p.id)}
                <tr class:ticked={ticked.has(p.id)}>
                  <td class="tick"
                    ><input
                      type="checkbox"
                      aria-label="Tick {p.name}"
                      checked={ticked.has(p.id)}
                      onchange={() => tick(p.id)}
                    /></td
                  >
                  <td class="nowrap"><a href="/people/{p.id}">{p.name}</a></td>
                  <td class="clip">{p.email ?? ''}</td>
                  <td class="nowrap">{p.phone ?? ''}</td>
                  {#if data.search.shown.field}<td class="nowrap">{fieldText(p.field)}</td>{/if}
                  <td class="clip">{p.tags.join(', ')}</td>
                  <td class="nowrap">{p.consentEmail ?? 'never asked'} · {p.consentSms ?? 'never asked'}</td>
                  {#if data.search.shown.score}<td class="number">{p.score ?? ''}</td>{/if}
                  <td class="number">{p.walking || ''}</td>
                  <td class="nowrap">{p.lastDid ? `${p.lastDid} ${format.date(p.lastDidAt ?? 0)}` : ''}</td>
                </tr>
              {/each}
            </tbody>
          </table>
        </div>
        <nav aria-label="Pages">
          <span class="soft">{number(first)}–{number(last)} of {data.more ? 'about ' : ''}{number(data.total)}</span>
          {#if data.before}<a href={pageAt(data.before, first - data.perPage)}>Previous {data.perPage}</a>{/if}
          {#if data.after}<a href={pageAt(data.after, last + 1)}>Next {data.perPage}</a>{/if}
          {#if data.fields.length || data.scores.length}
            <span class="shown soft"
              >Columns {@render shownFact('field', data.fields)} {@render shownFact('score', data.scores)}</span
            >
          {/if}
        </nav>
      {:else if data.problem && data.search.where}
        <p class="empty"><a href="/people">Show everyone</a></p>
      {:else if data.search.text || data.search.tag || data.search.where}
        <p class="empty">Nobody fits. <a href="/people">Show everyone</a></p>
      {:else}
        <p class="empty">
          People stand here once there are some. <a href="/people/import">Import them from a spreadsheet</a>
        </p>
      {/if}
    </div>
    {#if sieve}
      <Sieve
        where={data.search.where}
        known={data.known}
        journeys={data.journeys}
        onchange={narrow}
        onclose={() => ((sieve = false), narrow(null))}
      />
    {/if}
  </div>
</div>

<style>
  .beside {
    display: flex;
    gap: 14px;
    align-items: flex-start;
  }
  .found {
    flex: 1;
    min-width: 0;
  }
  .acts {
    display: flex;
    align-items: baseline;
    gap: 18px;
    padding: 0 8px 8px;
  }
  .tick {
    width: 22px;
  }
  .ticked td {
    background: var(--action-pale);
  }
  .problem {
    margin-bottom: 8px;
    color: var(--failure);
  }
  .tag {
    flex: none;
    width: 200px;
  }
  .shown {
    display: flex;
    gap: 8px;
    align-items: center;
    margin-left: auto;
  }
  .page {
    padding: 20px 24px;
  }
  nav.around {
    display: flex;
    gap: 18px;
    margin-left: auto;
    padding: 0;
    white-space: nowrap;
  }
  header {
    display: flex;
    flex-wrap: wrap;
    gap: 12px;
    align-items: center;
    margin-bottom: 14px;
  }
  header > div {
    flex: 1;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  td {
    padding: 5px 8px;
  }
  .clip {
    max-width: 150px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .nowrap {
    white-space: nowrap;
  }
  .scroll {
    overflow-x: auto;
  }
  nav {
    display: flex;
    gap: 18px;
    padding: 12px 8px;
  }
</style>
