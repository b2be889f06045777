<script lang="ts">
  import { enhance } from '$app/forms';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { Button } from 'carbon-components-svelte';
  import type { Alike, DoubleGroup } from '$server/people/doubles.ts';
  import { heading, number, plural } from '$core/tell/words.ts';
  import { useFormat } from '$ui/format.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import SaveTable from '$ui/kit/SaveTable.svelte';
  import Which from '$ui/kit/Which.svelte';
  import Frame from '$ui/people/Frame.svelte';
  import Compare from '$ui/person/Compare.svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();
  const running = $derived(data.search?.state === 'reading' || data.search?.state === 'comparing');
  const field = $derived(data.search?.field ?? (data.fields.includes('town') ? 'town' : (data.fields[0] ?? 'town')));
  const WHY = $derived<Record<Alike, string>>({
    email: 'Address',
    phone: 'Number',
    name: `Name and ${field.replace(/_/g, ' ')}`
  });
  const KINDS: (Alike | null)[] = [null, 'email', 'phone', 'name'];
  const total = $derived(data.counts.email + data.counts.phone + data.counts.name);
  const made = $derived(page.url.searchParams.get('made'));
  function hrefOf(change: Record<string, string | null>): string {
    const query = new URLSearchParams(page.url.searchParams);
    query.delete('made');
    for (const [key, value] of Object.entries(change))
      if (value === null) query.delete(key);
      else query.set(key, value);
    return `?${query}`;
  }
  const chosen = (g: DoubleGroup): boolean =>
    data.comparison !== null &&
    [data.comparison.a.id, data.comparison.b.id].every((id) => g.people.some((p) => p.id === id));
  const pairOf = (g: DoubleGroup, a = g.people[0], b = g.people[1]): string =>
    hrefOf({ a: String(a?.id), b: String(b?.id) });
  const comparable = $derived(data.groups.filter((g) => g.people.length > 1));
  const at = $derived(comparable.findIndex(chosen));
  const titleOf = (g: DoubleGroup): string => {
    const names = [...new Set(g.people.map((p) => p.name))];
    if (names.length > 1) return names.slice(0, 3).join(' and ');
    return `${names[0] ?? ''}${g.why === 'name' ? `, ${g.people[0]?.place ?? ''}` : ''}, ${g.n === 2 ? 'twice' : `${number(g.n)} times`}`;
  };
  /** What they are told apart by. */
  const apart = (g: DoubleGroup): string =>
    g.people.map((p) => (g.why === 'phone' ? p.phone : (p.email ?? p.phone)) ?? '').join(' · ');
  const group = $derived(comparable[at] ?? null);
  /** One row a person: whoever has the same words in the first column may be one. */
  const saved = () =>
    data.groups.flatMap((g) =>
      g.people.map((p) => ({
        'alike in': `${WHY[g.why]} (${g.key})`,
        person: p.id,
        name: p.name,
        email: p.email,
        phone: p.phone,
        place: p.place
      }))
    );

  function keys(event: KeyboardEvent): void {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const next = step && comparable[at + step];
    if (!next) return;
    event.preventDefault();
    void goto(pairOf(next), { keepFocus: true, noScroll: true });
  }
</script>

<Frame
  title="Doubles"
  columns="minmax(0, 1fr) 640px"
  problem={form && 'problem' in form ? form.problem : undefined}
  done={form && 'done' in form ? form.done : undefined}
>
  {#snippet head()}
    <Which
      label="Alike in what"
      views={KINDS.map((kind) => ({
        href: hrefOf({ why: kind, after: null, afterWhy: null, a: null, b: null }),
        words: kind === null ? 'All' : WHY[kind],
        here: data.why === kind,
        count: number(kind === null ? total : data.counts[kind])
      }))}
    />
    <div class="search">
      {#if running && data.search}
        <span role="status"
          >{data.search.state === 'reading'
            ? `Read ${number(data.search.looked)} of ${number(data.search.total)} people`
            : 'Comparing'} …</span
        >
        <progress
          max={data.search.total || 1}
          value={data.search.state === 'reading' ? data.search.looked : data.search.total}
          aria-label="The search"
        ></progress>
        <form method="post" action="?/stop" use:enhance><button class="act">Stop</button></form>
      {:else}
        {#if data.search}
          <span class="soft" role="status"
            >{data.search.state === 'done' && data.search.ended !== null
              ? `Searched ${format.dateTime(data.search.ended)}: ${plural(data.search.total, 'person', 'people')}`
              : 'The last search was stopped'}</span
          >
        {/if}
        <form method="post" action="?/search" use:enhance class="ask">
          <Pick
            label="Beside the name, the same"
            shown
            name="field"
            options={[...new Set([field, ...data.fields])].map((f): [string, string] => [f, heading(f)])}
            value={field}
          />
          <Button size="small" kind="tertiary" type="submit"
            >{data.search ? 'Search again' : 'Search for doubles'}</Button
          >
        </form>
      {/if}
    </div>
  {/snippet}
  {#snippet told()}
    {#if made}<p class="done" role="status">They are one now: <a href="/people/{made}">see them</a>.</p>{/if}
  {/snippet}
  <div class="list">
    {#if data.groups.length}<p class="save"><SaveTable name="doubles" rows={saved} /></p>{/if}
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions (arrows go through the rows' own links) -->
    <table class="figures" onkeydown={keys} aria-label="People who may be one">
      <thead>
        <tr><th>Alike in</th><th>These may be one person</th><th></th></tr>
      </thead>
      <tbody>
        {#each data.groups as g (`${g.why} ${g.key}`)}
          <tr class:chosen={chosen(g)}>
            <td class="why">{WHY[g.why]}</td>
            <td class="who">
              {#if g.people.length > 1}<a href={pairOf(g)} data-sveltekit-noscroll>{titleOf(g)}</a>{:else}{g.people[0]
                  ?.name ?? 'gone'}{/if}
              <span class="soft">{apart(g)}</span>
            </td>
            <td class="number"
              >{g.n > 20 ? `${number(g.n)}: rather an office than a person` : g.n > 2 ? number(g.n) : ''}</td
            >
          </tr>
        {:else}
          <tr
            ><td class="soft" colspan="3"
              >{data.search?.state === 'done'
                ? 'Nobody is in here twice, as far as one can tell by address, number and name.'
                : running
                  ? 'The search is under way.'
                  : 'Search for people whose addresses, numbers, or names and towns are alike.'}</td
            ></tr
          >
        {/each}
      </tbody>
    </table>
    {#if data.more || data.paged}
      <p class="pages">
        {#if data.paged}<a href={hrefOf({ after: null, afterWhy: null, a: null, b: null })}>From the first</a>{/if}
        {#if data.more}<a
            href={hrefOf({
              after: data.groups.at(-1)?.key ?? null,
              afterWhy: data.groups.at(-1)?.why ?? null,
              a: null,
              b: null
            })}>Next {data.groups.length}</a
          >{/if}
      </p>
    {/if}
  </div>
  <div>
    {#if data.comparison}
      {#if group && group.people.length > 2}
        <p class="of">
          Of {number(group.n)}:
          {#each group.people as p (p.id)}
            {#if p.id !== data.comparison.a.id}
              <a
                href={pairOf(group, group.people[0]?.id === p.id ? group.people[1] : group.people[0], p)}
                aria-current={p.id === data.comparison.b.id ? 'true' : undefined}>{p.email ?? p.phone ?? p.name}</a
              >
            {/if}
          {/each}
        </p>
        {#if group.n <= 20}
          <form method="post" action="?/different" use:enhance class="of">
            {#each group.people as p (p.id)}<input type="hidden" name="person" value={p.id} />{/each}
            <button class="act">All {number(group.n)} are different people</button>
          </form>
        {/if}
      {/if}
      {#key data.comparison.seen}
        <Compare of={data.comparison} marked={data.marked} />
      {/key}
    {:else if data.gone}
      <p class="soft">One of these two is not here any more.</p>
    {:else if data.groups.length}
      <p class="soft">Choose two to see them side by side. Arrow keys go from one to the next.</p>
    {/if}
  </div>
</Frame>

<style>
  .search {
    display: flex;
    gap: 10px;
    align-items: center;
    margin-left: auto;
  }
  .ask {
    display: flex;
    gap: 8px;
    align-items: flex-end;
  }
  .save {
    padding: 4px 12px 0;
    text-align: right;
  }
  .list {
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  table {
    width: 100%;
  }
  .why {
    white-space: nowrap;
  }
  .who {
    overflow-wrap: anywhere;
  }
  .who .soft {
    display: block;
  }
  .chosen td {
    background: var(--action-pale);
  }
  .of {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-bottom: 8px;
  }
  .of a[aria-current] {
    font-weight: 650;
  }
  .pages {
    display: flex;
    gap: 16px;
    padding: 8px;
  }
  .done {
    margin-bottom: 8px;
    color: var(--done);
  }
</style>
