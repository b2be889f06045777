<script lang="ts">
  import { Checkbox, TextInput } from 'carbon-components-svelte';
  import WarningAlt from 'carbon-icons-svelte/lib/WarningAlt.svelte';
  import { tick } from 'svelte';
  import { placeOf, stepsBefore } from '$core/edit/edit.ts';
  import type { Finding } from '$core/check/index.ts';
  import { anchorOf } from '$core/sheet/anchor.ts';
  import { layoutSheet } from '$core/sheet/layout.ts';
  import { canBeOff, isOff, STEP_KINDS } from '$core/steps/index.ts';
  import { wallDay } from '$core/time/civil.ts';
  import { waitWords } from '$core/steps/wait.ts';
  import type { KnownNames } from '$server/people/names.ts';
  import type { SamplePerson } from '$server/people/sample.ts';
  import FixButton from './FixButton.svelte';
  import type { Editor } from './editor.svelte.ts';
  import { SHEET_KINDS, panelOf, SHOWN } from './kinds.ts';
  import WaitForm from './WaitForm.svelte';
  import JourneyForm from './JourneyForm.svelte';
  import { inputText, type Nameable } from './panels/panel.ts';

  interface Props {
    editor: Editor;
    findings: Finding[];
    names: KnownNames;
    journeys: { key: string; name: string }[];
    sample: SamplePerson[];
    clock: { now: number; zone: string };
    /** Rules across journeys, in words. */
    across: string[];
    /** Names and aims only. */
    sketch?: boolean;
    /** Nobody changes it now: all is read, nothing taken. */
    locked?: boolean;
  }
  let { editor, findings, names, journeys, sample, clock, across, sketch = false, locked = false }: Props = $props();

  let panel: HTMLElement;
  const step = $derived(editor.selected);
  const gap = $derived(editor.selection.at === 'gap' ? editor.selection : null);
  /** The selected gap as the sheet draws it. */
  const drawn = $derived.by(() => {
    if (!gap) return null;
    const { gaps } = layoutSheet(editor.document.lane, undefined, anchorOf(editor.document));
    return gaps.find((g) => g.index === gap.index && g.lane.join('.') === gap.lane.join('.')) ?? null;
  });
  const around = $derived({ fields: names.fields, today: wallDay(editor.document.zone ?? clock.zone, clock.now) });
  const where = $derived.by(() => {
    if (!step) return '';
    const layout = layoutSheet(editor.document.lane, undefined, anchorOf(editor.document));
    const card = layout.cards.find((c) => c.step.key === step.key);
    const row = card && layout.rows[card.row];
    return card && row ? `on ${row.label}, ${card.moment.toLowerCase()}` : '';
  });
  const mine = $derived(
    findings.filter((f) => f.step === (step?.key ?? null) && (step || editor.selection.at === 'journey'))
  );
  const Icon = $derived(step ? SHOWN[step.kind].icon : null);
  const Form = $derived(step ? panelOf(step) : null);
  /** What can be named where the selected step stands, or in the journey's own rules: behind all its steps. */
  const known = $derived.by((): Nameable => {
    const place = step ? placeOf(editor.document, step.key) : { lane: ['lane'], index: editor.document.lane.length };
    const before = place ? stepsBefore(editor.document, place.lane, place.index) : [];
    const messages = before.filter((s) => s.kind === 'email' || s.kind === 'sms');
    return { ...names, messages, tasks: before.filter((s) => s.kind === 'task'), journeys };
  });

  /** Sets one key of the selected step; text left empty takes the key out, where the key may be absent. */
  function set(key: string, value: unknown, optional = true): void {
    if (!step) return;
    const cleared = optional && (value === '' || value === undefined);
    editor.apply({ edit: 'patch', key: step.key, set: { [key]: cleared ? undefined : value } }, `${step.key}/${key}`);
  }
  $effect(() => {
    if (!editor.focusPanel) return;
    void tick().then(() => {
      const first = panel.querySelector<HTMLElement>(
        '[data-first] input, [data-first] textarea, [data-first] select, input, textarea, select'
      );
      first?.focus();
    });
  });

  function onkeydown(event: KeyboardEvent): void {
    if (event.key !== 'Escape') return;
    event.preventDefault();
    editor.focusSheet++;
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions (Escape goes back to the sheet) -->
<aside bind:this={panel} aria-label="Selected" {onkeydown}>
  <fieldset disabled={locked}>
    {#if step && Icon}
      <header>
        <Icon size={20} aria-hidden="true" />
        <div>
          <h2>{step.name || SHOWN[step.kind].called}</h2>
          <p class="soft">{SHOWN[step.kind].called} {where}</p>
        </div>
      </header>
      {#key step.key}
        {#if Form && !sketch}<Form {editor} {step} {set} {known} {sample} />{/if}
        <TextInput
          size="sm"
          labelText="Name on the sheet"
          value={step.name ?? ''}
          on:input={(e) => set('name', inputText(e))}
        />
        {#if sketch || step.kind !== 'email'}
          <TextInput
            size="sm"
            labelText="Aim: what it should bring about"
            value={step.aim ?? ''}
            on:input={(e) => set('aim', inputText(e))}
          />
        {/if}
        <TextInput
          size="sm"
          labelText="Note for colleagues"
          value={step.note ?? ''}
          on:input={(e) => set('note', inputText(e))}
        />
        {#if canBeOff(step)}
          <Checkbox
            labelText="Off: everyone passes it over (o)"
            checked={isOff(step)}
            on:check={(e) => e.detail !== isOff(step) && editor.toggleOff(step.key)}
          />
        {/if}
        <p class="hint">Key: {step.key}</p>
      {/key}
    {:else if gap}
      <header>
        <div>
          <h2>{drawn?.waits.length ? `Wait ${drawn.waits.map(waitWords).join(', then ')}` : 'A gap'}</h2>
          <p class="soft">{drawn?.waits.length ? 'Nothing happens in between.' : 'People go straight on here.'}</p>
        </div>
      </header>
      {#if drawn}
        {#key `${drawn.lane.join('.')}/${drawn.index}`}<WaitForm
            {editor}
            gap={drawn}
            {around}
            zone={clock.zone}
          />{/key}
      {/if}
      <p class="put">
        Put here:
        {#each SHEET_KINDS.filter((kind) => kind !== 'wait') as kind (kind)}
          <button class="act" title={STEP_KINDS[kind].does} onclick={() => editor.insert(kind, gap.lane, gap.index)}
            >{SHOWN[kind].called}</button
          >
        {/each}
      </p>
      <dl>
        <dt><kbd>2d</kbd> <kbd>3 h</kbd></dt>
        <dd>wait so long</dd>
        <dt><kbd>=day 5</kbd></dt>
        <dd>let the next step fall on that day</dd>
        <dt><kbd>fri 16:00</kbd> <kbd>9:00</kbd></dt>
        <dd>wait until the next one</dd>
        <dt><kbd>12 May</kbd></dt>
        <dd>wait until that date</dd>
        <dt><kbd>2d before visit</kbd></dt>
        <dd>wait until so long before a date of theirs, or after it</dd>
        <dt>a letter or <kbd>Enter</kbd></dt>
        <dd>put a step here</dd>
        <dt><kbd>Del</kbd></dt>
        <dd>no wait</dd>
      </dl>
    {:else}
      <JourneyForm {editor} {known} {around} zone={clock.zone} {across} />
    {/if}
    {#if mine.length}
      <section class="findings" aria-label="Findings">
        <h3>Findings</h3>
        {#each mine as f (f.check + f.text)}
          <p>
            <WarningAlt size={16} aria-hidden="true" /><span
              >{#if f.severity === 'blocker'}<strong class="blocks">Blocks going live.</strong>{/if}{f.text}
              <em>{f.hint}</em>
              <FixButton {editor} finding={f} /></span
            >
          </p>
        {/each}
      </section>
    {/if}
  </fieldset>
</aside>

<style>
  fieldset {
    min-width: 0;
    border: 0;
  }
  /* What nobody may change now is still to be read. */
  fieldset:disabled :global(:is(input, textarea, select, label, .bx--label, .bx--checkbox-label)) {
    color: var(--ink-soft);
    opacity: 1;
    -webkit-text-fill-color: var(--ink-soft);
  }
  fieldset:disabled :global(:is(.act, .typed)) {
    display: none;
  }
  aside {
    flex: none;
    width: 300px;
    padding: 12px 14px 24px;
    overflow: auto;
    background: var(--surface);
    border-left: 1px solid var(--rule);
    box-sizing: border-box;
  }
  header {
    display: flex;
    gap: 10px;
    align-items: flex-start;
    margin-bottom: 12px;
    padding-bottom: 10px;
    border-bottom: 1px solid var(--rule);
  }
  h2 {
    font-size: 14px;
    font-weight: 700;
  }
  header p {
    font-size: 12.5px;
  }
  aside :global(.bx--form-item),
  aside :global(.bx--list-box__wrapper) {
    margin-bottom: 10px;
  }
  .put {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 12px;
    margin-bottom: 12px;
  }
  aside :global(.hint) {
    margin: -6px 0 10px;
    color: var(--ink-soft);
    font-size: 12px;
  }
  dl {
    display: grid;
    grid-template-columns: auto 1fr;
    gap: 8px 12px;
  }
  dd {
    color: var(--ink-soft);
  }
  kbd {
    padding: 1px 5px;
    font: inherit;
    font-size: 12.5px;
    background: var(--ground);
    border: 1px solid var(--rule);
  }
  .findings {
    margin-top: 14px;
  }
  h3 {
    margin-bottom: 6px;
    font-size: 12.5px;
    font-weight: 700;
  }
  .findings p {
    display: grid;
    grid-template-columns: 16px 1fr;
    gap: 8px;
    margin-bottom: 6px;
    padding: 8px 10px;
    font-size: 13px;
    background: var(--attention-ground);
    border-left: 3px solid var(--attention-line);
  }
  .findings :global(svg) {
    margin-top: 1px;
    fill: var(--attention);
  }
  em {
    color: var(--ink-soft);
  }
</style>
