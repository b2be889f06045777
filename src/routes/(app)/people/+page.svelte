<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { Button } from 'carbon-components-svelte';
  import type { Sort } from '$server/people/people.ts';
  import SortHeader from '$ui/kit/SortHeader.svelte';
  import { number, plural, useFormat } from '$ui/format.ts';
  import type { PageData } from './$types';

  let { data }: { data: PageData } = $props();
  const format = useFormat();
  let timer: ReturnType<typeof setTimeout>;

  function address(change: Record<string, string | null>): string {
    const query = new URLSearchParams(page.url.searchParams);
    query.delete('page');
    for (const [key, value] of Object.entries(change))
      if (value) query.set(key, value);
      else query.delete(key);
    return `?${query}`;
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
  const first = $derived((data.search.page - 1) * data.perPage + 1);
  const last = $derived(Math.min(data.total, first + data.perPage - 1));
</script>

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
          : ''}
      </p>
    </div>
    <input
      type="search"
      placeholder="Search name or address"
      aria-label="Search people by name, address or town"
      value={data.search.text}
      oninput={(e) => search(e.currentTarget.value)}
    />
    <select
      aria-label="Only with the tag"
      value={data.search.tag ?? ''}
      onchange={(e) => void goto(address({ tag: e.currentTarget.value || null }))}
    >
      <option value="">any tag</option>
      {#each data.tags as t (t.name)}<option value={t.name}>{t.name} ({t.people})</option>{/each}
    </select>
    <Button size="field" href="/people/import">Import people</Button>
  </header>
  {#if data.people.length}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex (a part that scrolls must be reachable by keyboard) -->
    <div class="scroll" role="region" tabindex="0" aria-label="People, table">
      <table class="figures">
        <thead>
          <tr>
            <SortHeader name="Name" column="name" bind:sort={sorter.value} />
            <SortHeader name="Email" column="email" bind:sort={sorter.value} />
            <th scope="col">Phone</th>
            <th scope="col">Town</th>
            <th scope="col">Tags</th>
            <th scope="col">Consent <small>email · text</small></th>
            <SortHeader name="Interest" column="interest" bind:sort={sorter.value} figure />
            <SortHeader name="Walks now" column="walking" bind:sort={sorter.value} figure />
            <SortHeader name="Last did" column="last" bind:sort={sorter.value} />
          </tr>
        </thead>
        <tbody>
          {#each data.people as p (p.id)}
            <tr>
              <td class="nowrap"><a href="/people/{p.id}">{p.name}</a></td>
              <td class="clip">{p.email ?? ''}</td>
              <td class="nowrap">{p.phone ?? ''}</td>
              <td class="nowrap">{p.town ?? ''}</td>
              <td class="clip">{p.tags.join(', ')}</td>
              <td class="nowrap">{p.consentEmail ?? 'never asked'} · {p.consentSms ?? 'never asked'}</td>
              <td class="number">{p.interest ?? ''}</td>
              <td class="number">{p.walking || ''}</td>
              <td class="nowrap">{p.lastDid ? `${p.lastDid} ${format.date(p.lastDidAt ?? 0)}` : ''}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    <nav aria-label="Pages">
      <span class="soft">{number(first)}–{number(last)} of {data.more ? 'about ' : ''}{number(data.total)}</span>
      {#if data.search.page > 1}<a href="{address({})}&page={data.search.page - 1}">Previous {data.perPage}</a>{/if}
      {#if last < data.total}<a href="{address({})}&page={data.search.page + 1}">Next {data.perPage}</a>{/if}
    </nav>
  {:else if data.search.text || data.search.tag}
    <p class="empty">Nobody fits. <a href="/people">Show everyone</a></p>
  {:else}
    <p class="empty">
      People stand here once there are some. <a href="/people/import">Import them from a spreadsheet</a>
    </p>
  {/if}
</div>

<style>
  .page {
    padding: 20px 24px;
  }
  header {
    display: flex;
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
  input,
  select {
    height: 40px;
    padding: 0 10px;
    color: var(--ink);
    font-size: 14px;
    background: var(--surface);
    border: 1px solid #b5b09f;
    box-sizing: border-box;
  }
  input {
    width: 240px;
  }
  td {
    padding: 5px 8px;
  }
  .clip {
    max-width: 170px;
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
