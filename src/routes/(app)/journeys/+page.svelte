<script lang="ts">
  import { Button, Checkbox, TextInput } from 'carbon-components-svelte';
  import WarningAlt from 'carbon-icons-svelte/lib/WarningAlt.svelte';
  import { replaceState } from '$app/navigation';
  import { page } from '$app/state';
  import { onMount, tick } from 'svelte';
  import BringFile from '$ui/journeys/BringFile.svelte';
  import { tinykeys } from 'tinykeys';
  import GoalRate from '$ui/journeys/GoalRate.svelte';
  import StateSquare from '$ui/journeys/StateSquare.svelte';
  import WeekBars from '$ui/journeys/WeekBars.svelte';
  import SaveTable from '$ui/kit/SaveTable.svelte';
  import SortHeader from '$ui/kit/SortHeader.svelte';
  import { useFormat } from '$ui/format.ts';
  import { plural, number } from '$core/tell/words.ts';
  import { instantText } from '$core/time/instant.ts';
  import Choice from '$ui/kit/Choice.svelte';
  import { typingIn } from '$ui/kit/keys.ts';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();

  type Column = 'name' | 'state' | 'walking' | 'sends24' | 'goal' | 'entered90' | 'last';
  const COLUMNS: readonly Column[] = ['name', 'state', 'walking', 'sends24', 'goal', 'entered90', 'last'];
  // What is filtered and sorted by stands in the address: it can be kept, sent, and gone back to.
  const asked = page.url.searchParams;
  let filter = $state(asked.get('q') ?? '');
  let chosen = $state<string>(asked.get('state') ?? 'all');
  let sort = $state<{ by: Column | null; down: boolean }>({
    by: COLUMNS.find((c) => c === asked.get('by')) ?? null,
    down: asked.get('down') === '1'
  });
  let bringing = $state(false);
  let bring = $state<BringFile>();
  onMount(() => {
    started = true;
  });
  let started = $state(false);
  $effect(() => {
    const to = new URLSearchParams();
    if (filter.trim()) to.set('q', filter.trim());
    if (chosen !== 'all') to.set('state', chosen);
    if (sort.by) to.set('by', sort.by);
    if (sort.by && sort.down) to.set('down', '1');
    const search = to.size ? `?${to}` : location.pathname;
    // Only what differs is written: before the page is there nothing can be.
    if (started && (to.size ? search : '') !== location.search) replaceState(search, {});
  });
  async function dropped(event: DragEvent): Promise<void> {
    const file = event.dataTransfer?.files[0];
    if (!file) return;
    event.preventDefault();
    bringing = true;
    await tick();
    await bring?.take(file);
  }
  let making = $state(false);
  let sketching = $state(false);
  let filterBox = $state<HTMLInputElement>();

  const states = $derived(
    ['all', 'live', 'closing', 'paused', 'draft', 'closed', 'archived'].map((s) => ({
      state: s,
      count:
        s === 'all'
          ? data.journeys.filter((j) => j.state !== 'archived').length
          : data.journeys.filter((j) => j.state === s).length
    }))
  );
  const shown = $derived.by(() => {
    const found = data.journeys.filter(
      (j) =>
        (chosen === 'all' ? j.state !== 'archived' : j.state === chosen) &&
        `${j.name} ${j.folder} ${j.labels.join(' ')}`.toLowerCase().includes(filter.trim().toLowerCase())
    );
    const { by } = sort;
    if (!by) return found;
    const value = (j: (typeof found)[number]): string | number =>
      by === 'goal' ? (j.goal?.rate ?? -1) : by === 'last' ? (j.last?.at ?? 0) : j[by];
    return [...found].sort((a, b) => {
      const [x, y] = [value(a), value(b)];
      const order = typeof x === 'string' ? x.localeCompare(String(y)) : x - Number(y);
      return sort.down ? -order : order;
    });
  });
  const goalMax = $derived(
    Math.max(0.1, ...data.journeys.map((j) => (j.goal && j.entered90 ? j.goal.interval.high : 0)))
  );
  const weekMax = $derived(Math.max(1, ...data.journeys.flatMap((j) => j.weeks)));
  const totals = $derived({
    walking: data.journeys.reduce((n, j) => n + j.walking, 0),
    sends: data.journeys.reduce((n, j) => n + j.sends24, 0)
  });

  /** Arrow keys go from row to row; Enter opens. */
  function onkeydown(event: KeyboardEvent): void {
    const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (!step) return;
    const links = [...document.querySelectorAll<HTMLAnchorElement>('tbody a.name')];
    const at = links.findIndex((a) => a === document.activeElement);
    links[Math.min(links.length - 1, Math.max(0, at + step))]?.focus();
    event.preventDefault();
  }

  onMount(() =>
    tinykeys(window, {
      n: (event) => {
        if (typingIn(event)) return;
        event.preventDefault();
        making = true;
      },
      s: (event) => {
        if (typingIn(event)) return;
        event.preventDefault();
        making = sketching = true;
      },
      '/': (event) => {
        if (typingIn(event)) return;
        event.preventDefault();
        filterBox?.focus();
      }
    })
  );
</script>

<svelte:head><title>Journeys · Ambulo</title></svelte:head>

<svelte:window ondragover={(e) => e.preventDefault()} ondrop={(e) => void dropped(e)} />
<div class="page">
  <header>
    <div>
      <h1>Journeys</h1>
      <p class="soft">
        {plural(data.journeys.length, 'journey', 'journeys')}, {plural(totals.walking, 'walk', 'walks')} under way, {plural(
          totals.sends,
          'message',
          'messages'
        )} in the next 24 hours{#if shown.length}<span class="save"
            >·
            <SaveTable
              name="journeys"
              rows={() =>
                shown.map((j) => ({
                  journey: j.name,
                  key: j.key,
                  folder: j.folder,
                  labels: j.labels.join(';'),
                  state: j.state,
                  version: j.version,
                  walking: j.walking,
                  'messages in 24 hours': j.sends24,
                  'entered in 90 days': j.entered90,
                  'goal rate': j.goal?.rate ?? null,
                  'last happened': j.last ? instantText(j.last.at) : null
                }))}
            /></span
          >{/if}
      </p>
    </div>
    <Choice
      label="Show journeys by state"
      options={states
        .filter((s) => s.count || s.state === 'all')
        .map((s) => [s.state, `${s.state === 'all' ? 'All' : s.state} ${s.count}`] as const)}
      bind:chosen
    />
    <div class="filter">
      <input
        bind:this={filterBox}
        bind:value={filter}
        placeholder="Filter"
        aria-label="Filter journeys by name or folder"
      />
      <kbd aria-hidden="true">/</kbd>
    </div>
    <Button size="field" kind="tertiary" href="/journeys/starters">From a starter</Button>
    <Button size="field" kind="ghost" on:click={() => (bringing = true)}>Bring a file</Button>
    <Button size="field" onclick={() => (making = true)}
      >New journey<kbd class="in-button" aria-hidden="true">N</kbd></Button
    >
  </header>

  {#if making || form?.problem}
    <form class="making" method="post" action="?/create">
      <TextInput
        labelText="Name of the journey"
        name="name"
        required
        maxlength={120}
        autofocus
        placeholder="What it is for, in a few words"
      />
      <TextInput labelText="Folder, if any" name="folder" maxlength={60} list="folders" />
      <datalist id="folders"
        >{#each new Set(data.journeys.map((j) => j.folder).filter(Boolean)) as f (f)}<option value={f}
          ></option>{/each}</datalist
      >
      <Checkbox labelText="A sketch: names and aims only" name="sketch" value="1" bind:checked={sketching} />
      <Button size="field" type="submit">Make it</Button>
      <Button size="field" kind="ghost" onclick={() => (making = false)}>Cancel</Button>
      {#if form?.problem}<p role="alert">{form.problem}</p>{/if}
    </form>
  {/if}

  {#if bringing}<BringFile bind:this={bring} onclose={() => (bringing = false)} />{/if}
  {#if data.journeys.length}
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions (arrows move between the links inside) -->
    <table class="figures" {onkeydown}>
      <thead>
        <tr>
          <SortHeader name="Journey" column="name" bind:sort />
          <SortHeader name="State" column="state" bind:sort />
          <SortHeader name="Walking now" column="walking" bind:sort figure />
          <SortHeader name="Sends in 24 h" column="sends24" bind:sort figure />
          <SortHeader name="Reached goal, of those entered in 90 d" column="goal" bind:sort />
          <SortHeader name="Entered 90 days" column="entered90" bind:sort figure />
          <th scope="col">Entries by week</th>
          <SortHeader name="Last happening" column="last" bind:sort />
          <th scope="col">Findings</th>
        </tr>
      </thead>
      <tbody>
        {#each shown as j (j.key)}
          <tr>
            <td
              ><a class="name" href="/journeys/{j.key}{j.state === 'draft' ? '' : '?view=watch'}">{j.name}</a><small
                >{j.folder || 'no folder'}</small
              ></td
            >
            <td>
              <StateSquare state={j.state} />
              <small
                >{j.version === null
                  ? `Saved ${format.date(j.savedAt)}`
                  : `Version ${j.version} since ${format.date(j.since ?? 0)}`}</small
              >
            </td>
            <td class="number">{j.version === null ? '–' : number(j.walking)}</td>
            <td class="number">{j.version === null ? '–' : number(j.sends24)}</td>
            <td
              >{#if j.goal}<GoalRate rate={j.goal.rate} interval={j.goal.interval} max={goalMax} />{:else}<span
                  class="soft">{j.hasGoal ? 'nobody entered' : 'no goal'}</span
                >{/if}</td
            >
            <td class="number">{j.version === null ? '–' : number(j.entered90)}</td>
            <td
              >{#if j.version !== null}<WeekBars weeks={j.weeks} max={weekMax} />{/if}</td
            >
            <td
              >{#if j.last}{format.dateTime(j.last.at)}<small>{j.last.name.replace(/_/g, ' ')}</small>{/if}</td
            >
            <td>
              {#if j.blockers + j.remarks}
                <span class="findings"><WarningAlt size={16} aria-hidden="true" />{j.blockers + j.remarks}</span>
                {#if j.blockers}<small>{plural(j.blockers, 'blocker', 'blockers')}</small>{/if}
              {:else}<span class="soft">none</span>{/if}
            </td>
          </tr>
        {:else}
          <tr
            ><td colspan="9" class="soft"
              >No journey fits this filter. <button class="act" onclick={() => ((filter = ''), (chosen = 'all'))}
                >Show all {data.journeys.length}</button
              ></td
            ></tr
          >
        {/each}
      </tbody>
    </table>
    <p class="soft note">
      Goal rates stand with their 90 % interval on one common scale. Arrow keys go from row to row, Enter opens one; N
      makes a journey, S a sketch of one.
    </p>
  {:else}
    <p class="empty">
      Journeys stand here once there is one. <button class="act" onclick={() => (making = true)}>Make the first</button>
    </p>
  {/if}
</div>

<style>
  .save {
    margin-left: 4px;
  }
  .page {
    padding: 20px 24px;
  }
  header {
    display: flex;
    gap: 12px;
    align-items: center;
    margin-bottom: 16px;
  }
  header > div:first-child {
    flex: 1;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  .filter {
    position: relative;
  }
  .filter input {
    width: 130px;
    height: 32px;
    padding: 0 24px 0 10px;
    color: var(--ink);
    font-size: 14px;
    background: var(--surface);
    border: 1px solid var(--rule-strong);
    box-sizing: border-box;
  }
  .filter input::placeholder {
    color: var(--ink-soft);
  }
  kbd {
    font: inherit;
  }
  .filter kbd {
    position: absolute;
    top: 7px;
    right: 9px;
    color: var(--ink-soft);
    pointer-events: none;
  }
  .in-button {
    margin-left: 12px;
    opacity: 0.75;
  }
  .making {
    display: grid;
    grid-template-columns: 2fr 1fr auto auto auto;
    gap: 12px;
    align-items: end;
    margin-bottom: 16px;
    padding: 14px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  .name {
    font-weight: 600;
    text-decoration: none;
  }
  .name:hover {
    text-decoration: underline;
  }
  td small,
  td:nth-child(8) {
    white-space: nowrap;
  }
  .findings {
    display: inline-flex;
    gap: 5px;
    align-items: center;
    color: var(--attention);
  }
  .note {
    margin-top: 12px;
    font-size: 12.5px;
  }
</style>
