<script lang="ts">
  import { beforeNavigate, goto } from '$app/navigation';
  import { page } from '$app/state';
  import { enhance } from '$app/forms';
  import { Button, OverflowMenu, OverflowMenuItem } from 'carbon-components-svelte';
  import { namingOf } from '$core/tell/read-through.ts';
  import Redo from 'carbon-icons-svelte/lib/Redo.svelte';
  import Undo from 'carbon-icons-svelte/lib/Undo.svelte';
  import { onMount } from 'svelte';
  import { findingId, findingsOf, type Finding } from '$core/check/index.ts';
  import { eachStep } from '$core/journey/walk-document.ts';
  import type { LaneRow } from '$core/sheet/layout.ts';
  import { entryWords } from '$core/tell/condition.ts';
  import { send } from '$ui/api.ts';
  import Brake from '$ui/journeys/Brake.svelte';
  import Crowds from '$ui/journeys/Crowds.svelte';
  import { saveAs, type SaveAs } from '$ui/journeys/save-as.ts';
  import StateSquare from '$ui/journeys/StateSquare.svelte';
  import { useFormat } from '$ui/format.ts';
  import { plural, number } from '$core/tell/words.ts';
  import Drawer from '$ui/sheet/Drawer.svelte';
  import { Editor } from '$ui/sheet/editor.svelte.ts';
  import Help from '$ui/sheet/Help.svelte';
  import JoinedNotice from '$ui/sheet/JoinedNotice.svelte';
  import { Others } from '$ui/sheet/others.svelte.ts';
  import Panel from '$ui/sheet/Panel.svelte';
  import Notices from '$ui/journeys/Notices.svelte';
  import PeopleHere from '$ui/sheet/PeopleHere.svelte';
  import Sheet from '$ui/sheet/Sheet.svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();

  // The page is made anew for each journey; within one, the editor holds the draft and the server follows.
  // svelte-ignore state_referenced_locally
  const editor = new Editor(data.journey.key, data.journey.draft, data.journey.revision, data.journey.savedAt);
  const view = $derived(page.url.searchParams.get('view') === 'watch' && data.live ? 'watch' : 'plan');
  const shown = $derived(view === 'watch' && data.live ? data.live.document : editor.document);
  // What is checked and told follows a moment after the last key: the sheet itself is drawn at once.
  const SETTLES_AFTER_MS = 120;
  let settled = $state.raw(editor.document);
  $effect(() => {
    const now = editor.document;
    const timer = setTimeout(() => (settled = now), SETTLES_AFTER_MS);
    return () => clearTimeout(timer);
  });
  // In a sketch nothing is missed yet.
  const all = $derived(data.journey.sketch ? [] : findingsOf(settled, data.around));
  // svelte-ignore state_referenced_locally
  let accepted = $state.raw(data.accepted);
  const findings = $derived(all.filter((f) => f.severity === 'blocker' || !accepted[findingId(f)]));
  const set = $derived(
    all.flatMap((finding) => {
      const why = finding.severity === 'remark' ? accepted[findingId(finding)] : undefined;
      return why ? [{ finding, ...why }] : [];
    })
  );
  const blockers = $derived(findings.filter((f) => f.severity === 'blocker'));
  const changed = $derived(
    data.live !== null && JSON.stringify(data.live.document) !== JSON.stringify(editor.document)
  );
  const others = new Others(
    editor.key,
    () => (editor.selection.at === 'card' ? editor.selection.key : null),
    (revision) => void editor.hear(revision)
  );
  let asking = $state<'lock' | 'folder' | null>(null);
  let cloning = $state<HTMLFormElement>();
  async function save(as: SaveAs): Promise<void> {
    try {
      await saveAs(shown, as);
      editor.say('Saved to your downloads.');
    } catch (error) {
      editor.say(error instanceof Error ? error.message : 'It could not be saved.');
    }
  }
  let help = $state(false);
  let lane = $state<LaneRow | null>(null);

  async function show(next: 'plan' | 'watch'): Promise<void> {
    await editor.save();
    await goto(next === 'watch' ? '?view=watch' : '?', { replaceState: true, noScroll: true, keepFocus: true });
  }

  const titleOf = $derived(namingOf(editor.document));
  const saved = $derived.by(() => {
    const s = editor.saving;
    if (s.kind === 'saved') return `saved ${format.time(s.at)}`;
    if (s.kind === 'failed') return '';
    return s.kind === 'saving' ? 'saving' : 'not saved yet';
  });

  /** Accepts a finding with a reason, or has it count again. */
  async function accept(finding: Finding, reason: string | null): Promise<void> {
    const { check, step, text } = finding;
    const answer = await send<{ accepted: typeof accepted }>('POST', `/api/journeys/${editor.key}/accepted`, {
      check,
      step,
      text,
      reason
    });
    if (answer.ok) accepted = answer.data.accepted;
    else editor.say(answer.message);
  }

  async function review(): Promise<void> {
    if (await editor.save()) await goto(`/journeys/${data.journey.key}/review`);
  }

  /** Goes where a blocker is mended: the list of findings, and the first field of its step. */
  function mend(blocker: Finding): void {
    editor.selection = blocker.step ? { at: 'card', key: blocker.step } : { at: 'journey' };
    editor.showFindings++;
    editor.focusPanel++;
  }

  /** Goes to the next step that is not finished, from the one that is selected. */
  function toUnfinished(): void {
    const open = new Set(
      findingsOf(editor.document).flatMap((f) => (f.severity === 'blocker' && f.step ? [f.step] : []))
    );
    const keys = eachStep(editor.document).map(({ step }) => step.key);
    const at = editor.selection.at === 'card' ? keys.indexOf(editor.selection.key) : -1;
    const next = [...keys.slice(at + 1), ...keys.slice(0, at + 1)].find((key) => open.has(key));
    if (next === undefined) return editor.say('Every step is finished.');
    editor.selection = { at: 'card', key: next };
    editor.say(`${plural(open.size, 'step is', 'steps are')} not finished.`);
  }

  function onkeydown(event: KeyboardEvent): void {
    const command = event.ctrlKey || event.metaKey;
    if (!command || view === 'watch' || data.journey.lockedBy !== null) return;
    const key = event.key.toLowerCase();
    // Edits apply as typed, so the sheet's undo is the one that counts, also inside a field.
    if (key === 'z') event.shiftKey ? editor.redo() : editor.undo();
    else if (key === 'y') editor.redo();
    else return;
    event.preventDefault();
  }

  beforeNavigate(() => void editor.save(true));

  onMount(() => {
    editor.restore();
    const step = page.url.searchParams.get('step');
    if (step) editor.selection = { at: 'card', key: step };
    else if (!editor.document.lane.length) editor.selection = { at: 'gap', lane: ['lane'], index: 0 };
    editor.focusSheet++;
    const leaving = (event: BeforeUnloadEvent): void => {
      if (!editor.hasUnsaved) return;
      void editor.save(true);
      event.preventDefault();
    };
    window.addEventListener('beforeunload', leaving);
    others.start();
    return () => {
      window.removeEventListener('beforeunload', leaving);
      others.stop();
    };
  });
</script>

<svelte:window {onkeydown} />
<svelte:head><title>{shown.name ?? shown.key} · Ambulo</title></svelte:head>

<div class="page">
  <header>
    <div class="what">
      <h1>{shown.name ?? shown.key}</h1>
      <p class="soft">
        {#if view === 'watch' && data.live && data.figures}
          <StateSquare state={data.journey.state} /> · version {data.journey.version}, since {format.date(
            data.live.since
          )} · {entryWords(shown.entry)} ·
          {plural(data.figures.entered, 'person', 'people')} entered, {number(data.figures.walking)} walking{#if shown.goal},
            {number(data.figures.reachedGoal)} reached the goal{/if}
        {:else}
          {data.journey.sketch
            ? 'Sketch: names and aims'
            : data.journey.version === null
              ? 'Draft of version 1'
              : changed
                ? `Draft of version ${data.journey.version + 1}, differs from the live one`
                : `As live: version ${data.journey.version}`} ·
          <span data-testid="saved" role="status">{saved}</span>
          {#if editor.saving.kind === 'failed'}
            <span class="failed" role="alert">
              Not saved. {editor.saving.message}
              {#if editor.saving.retry}Trying again every three seconds.{:else}<a
                  href={page.url.pathname}
                  data-sveltekit-reload>Show what is saved</a
                >{/if}
            </span>
          {/if}
        {/if}
      </p>
    </div>
    {#if view === 'plan' && others.list.length}
      <p class="also" title="Who else has this draft open, and the step they are at">
        Also here: {others.list.map((o) => (o.step ? `${o.name} at ${titleOf(o.step)}` : o.name)).join(', ')}
      </p>
    {/if}
    <p class="said" aria-live="polite">{editor.said}</p>
    {#if view === 'plan'}
      <button
        class="icon"
        aria-label="Undo"
        title="Undo (Ctrl Z)"
        disabled={!editor.history.past.length}
        onclick={() => editor.undo()}><Undo size={20} /></button
      >
      <button
        class="icon"
        aria-label="Redo"
        title="Redo (Shift Ctrl Z)"
        disabled={!editor.history.future.length}
        onclick={() => editor.redo()}><Redo size={20} /></button
      >
    {/if}
    <OverflowMenu flipped size="sm" aria-label="More" style="height: 32px">
      <OverflowMenuItem text="Compare versions" href="/journeys/{editor.key}/versions" />
      <OverflowMenuItem text="Save as a journey file" on:click={() => void save('journey')} />
      <OverflowMenuItem text="Save as a picture, SVG" on:click={() => void save('svg')} />
      <OverflowMenuItem text="Save as a picture, PNG" on:click={() => void save('png')} />
      <OverflowMenuItem text="Save as text, Markdown" on:click={() => void save('markdown')} />
      <OverflowMenuItem hasDivider text="Make a copy of it" on:click={() => cloning?.requestSubmit()} />
      <OverflowMenuItem text="Put it into a folder …" on:click={() => (asking = 'folder')} />
      {#if view === 'plan' && data.journey.lockedBy === null}
        <OverflowMenuItem text="Lock it …" on:click={() => (asking = 'lock')} />
      {/if}
    </OverflowMenu>
    <form bind:this={cloning} method="post" action="?/clone" hidden></form>
    <div class="views" role="group" aria-label="View of the sheet">
      <button aria-pressed={view === 'plan'} onclick={() => void show('plan')}>Plan</button>
      <button
        aria-pressed={view === 'watch'}
        disabled={!data.live}
        title={data.live ? '' : 'There is something to watch once it is live'}
        onclick={() => void show('watch')}>Watch</button
      >
    </div>
    {#if view === 'plan' && data.journey.sketch}
      <form method="post" action="?/fill" use:enhance>
        <Button size="field" type="submit">Fill it in</Button>
      </form>
    {:else if view === 'plan'}
      <Button
        size="field"
        kind={blockers.length ? 'tertiary' : 'primary'}
        disabled={!blockers.length && data.live !== null && !changed}
        title={blockers.map((b) => b.text).join(' ')}
        on:click={() => (blockers[0] ? mend(blockers[0]) : void review())}
      >
        {blockers.length
          ? `${plural(blockers.length, 'blocker', 'blockers')} to mend`
          : data.live && !changed
            ? 'Nothing new to set live'
            : 'Review and set live'}
      </Button>
    {/if}
  </header>
  <Notices journey={data.journey} liveAt={data.liveAt} bind:asking />
  {#if view === 'plan'}<JoinedNotice {editor} />{/if}
  <Crowds crowds={data.crowds} />
  {#if view === 'watch' || data.journey.state === 'paused' || data.journey.state === 'archived'}
    <Brake
      state={data.journey.state}
      figures={data.brakes}
      last={data.last}
      problem={form && 'problem' in form ? String(form.problem) : ''}
    />
  {/if}
  <div class="work">
    <div class="middle">
      <Sheet
        {editor}
        document={shown}
        figures={view === 'watch' ? data.figures : null}
        findings={view === 'watch' ? [] : findings}
        fields={data.names.fields}
        clock={data.clock}
        locked={data.journey.lockedBy !== null}
        others={view === 'plan' ? others.list : []}
        onhelp={() => (help = true)}
        onunfinished={() => toUnfinished()}
        sketch={data.journey.sketch && view === 'plan'}
        onlane={(row) => (lane = row)}
      />
      {#if view === 'watch' && data.figures}
        <PeopleHere
          journeyKey={data.journey.key}
          journey={shown}
          selection={editor.selection}
          {lane}
          onlane={(row) => (lane = row)}
          figures={data.figures}
        />
      {:else}
        <Drawer {editor} document={settled} {findings} accepted={set} onaccept={accept} />
      {/if}
    </div>
    {#if view === 'plan'}
      <Panel
        locked={data.journey.lockedBy !== null}
        {editor}
        {findings}
        names={data.names}
        journeys={data.journeys}
        sample={data.sample}
        clock={data.clock}
        across={data.across}
        sketch={data.journey.sketch}
      />
    {/if}
  </div>
</div>
{#if help}<Help onclose={() => ((help = false), editor.focusSheet++)} />{/if}

<style>
  .also {
    max-width: 300px;
    overflow: hidden;
    font-size: 12.5px;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .page {
    display: flex;
    flex-direction: column;
    height: calc(100vh - var(--top));
  }
  header {
    display: flex;
    gap: 12px;
    align-items: center;
    min-height: 58px;
    padding: 0 18px;
    background: var(--surface);
    border-bottom: 1px solid var(--rule);
  }
  .what {
    min-width: 0;
  }
  h1 {
    font-size: 17px;
    font-weight: 700;
  }
  .what p {
    font-size: 12.5px;
  }
  .said {
    flex: 1;
    overflow: hidden;
    color: var(--ink-soft);
    font-size: 12.5px;
    text-align: right;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .failed {
    color: var(--failure);
  }
  .icon {
    display: grid;
    place-items: center;
    width: 32px;
    height: 32px;
    padding: 0;
    color: var(--action);
    background: none;
    border: 0;
    cursor: pointer;
  }
  .icon:disabled {
    color: var(--rule-strong);
    cursor: default;
  }
  .views {
    display: flex;
    border: 1px solid var(--action);
  }
  .views button {
    height: 32px;
    padding: 0 14px;
    color: var(--action);
    font-size: 14px;
    background: var(--surface);
    border: 0;
    cursor: pointer;
  }
  .views button[aria-pressed='true'] {
    color: var(--surface);
    background: var(--action);
  }
  .views button:disabled {
    color: var(--rule-field);
    cursor: default;
  }
  .work {
    display: flex;
    flex: 1;
    min-height: 0;
  }
  .middle {
    display: flex;
    flex: 1;
    flex-direction: column;
    min-width: 0;
  }
</style>
