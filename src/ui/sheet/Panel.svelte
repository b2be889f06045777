<script lang="ts">
  import { TextArea, TextInput } from 'carbon-components-svelte';
  import WarningAlt from 'carbon-icons-svelte/lib/WarningAlt.svelte';
  import { tick } from 'svelte';
  import { laneAt, messagesBefore, placeOf } from '$core/edit/edit.ts';
  import type { Finding } from '$core/check/index.ts';
  import { layoutSheet } from '$core/sheet/layout.ts';
  import { SHEET_KINDS } from '$core/check/live-subset.ts';
  import { STEP_KINDS, type Step } from '$core/steps/index.ts';
  import { durationWords, momentWords } from '$core/tell/words.ts';
  import type { SamplePerson } from '$server/people/sample.ts';
  import BranchForm from './BranchForm.svelte';
  import FixButton from './FixButton.svelte';
  import type { Editor } from './editor.svelte.ts';
  import { STEP_ICONS, STEP_WORDS } from './icons.ts';
  import JourneyForm from './JourneyForm.svelte';
  import MessagePreview from './MessagePreview.svelte';
  import TagsInput from './TagsInput.svelte';
  import { smsSize } from '$core/message/sms.ts';

  interface Props {
    editor: Editor;
    findings: Finding[];
    tags: string[];
    fields: string[];
    sample: SamplePerson[];
  }
  let { editor, findings, tags, fields, sample }: Props = $props();

  let panel: HTMLElement;
  const step = $derived(editor.selected);
  const gap = $derived(editor.selection.at === 'gap' ? editor.selection : null);
  const waitHere = $derived.by(() => {
    const before = gap && laneAt(editor.document, gap.lane)?.[gap.index - 1];
    return before?.kind === 'wait' ? before : null;
  });
  const where = $derived.by(() => {
    if (!step) return '';
    const layout = layoutSheet(editor.document.lane);
    const card = layout.cards.find((c) => c.step.key === step.key);
    const row = card && layout.rows[card.row];
    return card && row ? `on ${row.label}, ${momentWords(card.elapsed.min, card.elapsed.max).toLowerCase()}` : '';
  });
  const mine = $derived(
    findings.filter((f) => f.step === (step?.key ?? null) && (step || editor.selection.at === 'journey'))
  );
  const Icon = $derived(step ? STEP_ICONS[step.kind] : null);
  const before = $derived.by(() => {
    const place = step && placeOf(editor.document, step.key);
    return place ? messagesBefore(editor.document, place.lane, place.index) : [];
  });

  /** Sets one key of the selected step; text left empty takes the key out, where the key may be absent. */
  function set(key: string, value: unknown, optional = true): void {
    if (!step) return;
    const cleared = optional && (value === '' || value === undefined);
    editor.apply({ edit: 'patch', key: step.key, set: { [key]: cleared ? undefined : value } }, `${step.key}/${key}`);
  }
  const text = (event: unknown): string => String((event as CustomEvent<string | number | null>).detail ?? '');

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

  function remaining(s: Extract<Step, { kind: 'sms' }>): string {
    const size = smsSize(s.text ?? '');
    return `${size.used} characters, ${size.parts === 1 ? '1 part' : `${size.parts} parts`}, ${size.left} left in it · ${size.alphabet}. Personal fields and tracked links change the length.`;
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions (Escape goes back to the sheet) -->
<aside bind:this={panel} aria-label="Selected" {onkeydown}>
  {#if step && Icon}
    <header>
      <Icon size={20} aria-hidden="true" />
      <div>
        <h2>{step.name || STEP_WORDS[step.kind]}</h2>
        <p class="soft">{STEP_WORDS[step.kind]} {where}</p>
      </div>
    </header>
    {#key step.key}
      {#if step.kind === 'email'}
        <div data-first>
          <TextInput
            size="sm"
            labelText="Subject"
            value={step.subject ?? ''}
            on:input={(e) => set('subject', text(e), false)}
          />
        </div>
        <p class="hint">
          {(step.subject ?? '').length} characters{(step.subject ?? '').length > 60
            ? ' · long: phones cut it near 40'
            : ''}
        </p>
        <TextInput
          size="sm"
          labelText="Preview text"
          value={step.preview ?? ''}
          on:input={(e) => set('preview', text(e))}
        />
        <TextInput
          size="sm"
          labelText="Aim: what it asks its reader to do"
          value={step.aim ?? ''}
          on:input={(e) => set('aim', text(e))}
        />
        <TextArea
          labelText="Text"
          rows={9}
          value={step.text ?? ''}
          on:input={(e) => set('text', (e.target as HTMLTextAreaElement).value, false)}
        />
        <MessagePreview {step} {sample} journeyName={editor.document.name ?? ''} />
      {:else if step.kind === 'sms'}
        <div data-first>
          <TextArea
            labelText="Text"
            rows={5}
            value={step.text ?? ''}
            on:input={(e) => set('text', (e.target as HTMLTextAreaElement).value, false)}
          />
        </div>
        <p class="hint">{remaining(step)}</p>
        <MessagePreview {step} {sample} journeyName={editor.document.name ?? ''} />
      {:else if step.kind === 'branch' && step.by === 'rules'}
        <BranchForm {editor} branch={step} {tags} {fields} messages={before} />
      {:else if step.kind === 'tag'}
        <div data-first>
          <TagsInput label="Put on" value={step.add ?? []} {tags} onchange={(v) => set('add', v, false)} />
        </div>
        <TagsInput
          label="Take off"
          value={step.remove ?? []}
          {tags}
          onchange={(v) => set('remove', v.length ? v : undefined)}
        />
      {:else if step.kind === 'score'}
        <div data-first>
          <TextInput size="sm" labelText="Score" value={step.score} on:input={(e) => set('score', text(e), false)} />
        </div>
        <TextInput
          size="sm"
          type="number"
          labelText="Points to add; below zero takes off"
          value={step.add}
          on:input={(e) => Number.isFinite(Number(text(e))) && text(e) !== '' && set('add', Number(text(e)), false)}
        />
      {/if}
      <TextInput
        size="sm"
        labelText="Name on the sheet"
        value={step.name ?? ''}
        on:input={(e) => set('name', text(e))}
      />
      <TextInput
        size="sm"
        labelText="Note for colleagues"
        value={step.note ?? ''}
        on:input={(e) => set('note', text(e))}
      />
      <p class="hint">Key: {step.key}</p>
    {/key}
  {:else if gap}
    <header>
      <div>
        <h2>{waitHere ? `Wait ${durationWords(waitHere.for ?? '')}` : 'A gap'}</h2>
        <p class="soft">{waitHere ? 'Nothing happens in between.' : 'People go straight on here.'}</p>
      </div>
    </header>
    <p class="put">
      Put here:
      {#each SHEET_KINDS.filter((kind) => kind !== 'wait') as kind (kind)}
        <button class="act" title={STEP_KINDS[kind].does} onclick={() => editor.insert(kind, gap.lane, gap.index)}
          >{STEP_WORDS[kind]}</button
        >
      {/each}
    </p>
    <dl>
      <dt><kbd>2d</kbd> <kbd>3 h</kbd></dt>
      <dd>wait so long</dd>
      <dt><kbd>=day 5</kbd></dt>
      <dd>let the next step fall on that day</dd>
      <dt>a letter or <kbd>Enter</kbd></dt>
      <dd>put a step here</dd>
      <dt><kbd>Del</kbd></dt>
      <dd>no wait</dd>
    </dl>
  {:else}
    <JourneyForm
      {editor}
      {tags}
      {fields}
      messages={messagesBefore(editor.document, ['lane'], editor.document.lane.length)}
    />
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
</aside>

<style>
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
  .hint {
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
