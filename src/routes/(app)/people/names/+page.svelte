<script lang="ts">
  import { enhance } from '$app/forms';
  import { goto } from '$app/navigation';
  import { Button, TextInput } from 'carbon-components-svelte';
  import { number } from '$core/tell/words.ts';
  import { useFormat } from '$ui/format.ts';
  import { instantText } from '$core/time/instant.ts';
  import SaveTable from '$ui/kit/SaveTable.svelte';
  import Pick from '$ui/kit/Pick.svelte';
  import Which from '$ui/kit/Which.svelte';
  import Frame from '$ui/people/Frame.svelte';
  import Days from '$ui/names/Days.svelte';
  import NameCard from '$ui/names/NameCard.svelte';
  import { TYPES, typeWords } from '$ui/names/types.ts';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();
  const KINDS = [
    ['tag', 'Tags'],
    ['list', 'Lists'],
    ['field', 'Fields']
  ] as const;
  const ONE = { tag: 'tag', list: 'list', field: 'field' } as const;
  const name = $derived(form && 'name' in form && form.name ? form.name : data.chosen);
  const chosen = $derived(data.lines.find((l) => l.name === name) ?? null);
  const hrefOf = (of: string): string => `?kind=${data.kind}&name=${encodeURIComponent(of)}`;
  const uses = (n: number): string => (n ? number(n) : '');
  let find = $state('');
  const shown = $derived(data.lines.filter((l) => l.name.toLowerCase().includes(find.trim().toLowerCase())));

  function keys(event: KeyboardEvent): void {
    if (event.key !== 'ArrowDown' && event.key !== 'ArrowUp') return;
    const at = shown.findIndex((l) => l.name === name);
    const next = shown[at + (event.key === 'ArrowDown' ? 1 : -1)];
    if (!next) return;
    event.preventDefault();
    void goto(hrefOf(next.name), { keepFocus: true, noScroll: true });
  }
</script>

<Frame
  title="Tags, lists and fields"
  columns="minmax(0, 1fr) 360px"
  problem={form && 'problem' in form ? form.problem : undefined}
  done={form && 'done' in form ? form.done : undefined}
>
  {#snippet head()}
    <Which
      label="Which"
      views={KINDS.map(([kind, words]) => ({ href: `?kind=${kind}`, words, here: data.kind === kind }))}
    />
    <SaveTable
      name={KINDS.find(([k]) => k === data.kind)?.[1].toLowerCase() ?? 'names'}
      rows={() =>
        shown.map((l) => ({
          name: l.name,
          ...(data.kind === 'field' ? { type: l.type } : {}),
          'what for': l.note,
          people: l.people,
          ...(data.kind === 'field'
            ? {}
            : { came: l.came.reduce((a, b) => a + b, 0), went: l.went.reduce((a, b) => a + b, 0) }),
          'set in': [...new Set(l.sets.map((u) => u.name))].join(';'),
          'read in': [...new Set(l.reads.map((u) => u.name))].join(';'),
          since: l.since === null ? null : instantText(l.since)
        }))}
    />
    <div class="find">
      <TextInput size="sm" hideLabel labelText="Find a name" placeholder="Find a name" bind:value={find} />
    </div>
  {/snippet}
  <div class="list">
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions (arrows go through the rows' own links) -->
    <table class="figures" onkeydown={keys}>
      <thead>
        <tr>
          <th>{KINDS.find(([k]) => k === data.kind)?.[1]}</th>
          {#if data.kind === 'field'}<th>Type</th>{/if}
          <th class="number">People</th>
          {#if data.kind !== 'field'}<th>30 days</th>{/if}
          <th class="number">Set in</th>
          <th class="number">Read in</th>
          {#if data.kind !== 'list'}<th>Since</th>{/if}
        </tr>
      </thead>
      <tbody>
        {#each shown as l (l.name)}
          <tr class:chosen={l.name === name}>
            <td class="name"
              ><a href={hrefOf(l.name)} data-sveltekit-noscroll>{l.name}</a>
              {#if l.note}<span class="soft">{l.note}</span>{/if}</td
            >
            {#if data.kind === 'field'}<td>{typeWords(l.type)}</td>{/if}
            <td class="number">
              {#if data.kind === 'tag'}<a href="/people?tag={encodeURIComponent(l.name)}"
                  >{number(l.people)}{l.more ? '+' : ''}</a
                >{:else}{number(l.people)}{l.more ? '+' : ''}{/if}
            </td>
            {#if data.kind !== 'field'}<td><Days came={l.came} went={l.went} /></td>{/if}
            <td class="number">{uses(l.sets.length)}</td>
            <td class="number">{uses(l.reads.length)}</td>
            {#if data.kind !== 'list'}<td>{l.since === null ? '' : format.date(l.since)}</td>{/if}
          </tr>
        {:else}
          <tr><td class="soft" colspan="7">There is none{find ? ' of that name' : ' yet'}.</td></tr>
        {/each}
      </tbody>
    </table>
    <form method="post" action={data.kind === 'field' ? '?/field' : '?/describe'} use:enhance class="new">
      <input type="hidden" name="kind" value={data.kind} />
      <TextInput
        size="sm"
        name="name"
        hideLabel
        labelText="Name of a new {ONE[data.kind]}"
        placeholder="New {ONE[data.kind]}"
      />
      {#if data.kind === 'field'}
        <Pick label="Type of the new field" name="type" options={TYPES} value="text" />
        <input type="hidden" name="options" value="" />
      {:else}<input type="hidden" name="note" value="" />{/if}
      <Button kind="tertiary" size="small" type="submit">Make it</Button>
    </form>
  </div>
  {#if chosen}
    {#key `${data.kind} ${chosen.name}`}
      <NameCard
        kind={data.kind}
        line={chosen}
        names={data.lines.map((l) => l.name)}
        preview={form && 'preview' in form ? (form.preview ?? null) : null}
      />
    {/key}
  {:else}
    <p class="soft hint">Choose one to see where it is used, and to rename, describe or merge it.</p>
  {/if}
</Frame>

<style>
  .find {
    flex: 0 0 220px;
    margin-left: auto;
  }
  .list {
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  table {
    width: 100%;
  }
  .name {
    max-width: 260px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .chosen td {
    background: var(--action-pale);
  }
  .new {
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 8px;
  }
  .hint {
    padding: 12px 0;
  }
</style>
