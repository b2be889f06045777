<!-- How people get in: by what happens, by dates and timetables; who of them; how often; from when; and who is held out. -->
<script lang="ts">
  import { Checkbox, TextInput } from 'carbon-components-svelte';
  import { entryDateText, readEntryDate, readTimetable, timetableText } from '$core/edit/typed-entry.ts';
  import type { TypedAround } from '$core/edit/typed-until.ts';
  import type { HappeningFilter } from '$core/condition/happening.ts';
  import type { Entry, Journey } from '$core/journey/schema.ts';
  import { ruleWords } from '$core/tell/condition.ts';
  import { fromWall, toWall } from '$core/time/civil.ts';
  import { instantText, parseInstant } from '$core/time/instant.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import ConditionForm from './ConditionForm.svelte';
  import { asking, isHeard } from './happening.ts';
  import HappeningForm from './HappeningForm.svelte';
  import { inputText, type Nameable } from './panels/panel.ts';
  import TagsInput from './TagsInput.svelte';

  interface Props {
    journey: Journey;
    known: Nameable;
    around: TypedAround;
    zone: string;
    onchange: (entry: Entry, field: string) => void;
  }
  let { journey, known, around, zone, onchange }: Props = $props();

  const entry = $derived<Entry>(journey.entry ?? {});
  const on = $derived(entry.on ?? []);
  /** A way in that is a tag and nothing more. */
  const isTag = (r: HappeningFilter): boolean => r.happening === 'tag_added' && Object.keys(r).length === 2;
  const tags = $derived(on.flatMap((r) => (isTag(r) && r.tag ? [r.tag] : [])));
  const others = $derived(on.filter((r) => !isTag(r) || !r.tag));
  const named = $derived(
    on.some(
      (r) =>
        (r.tag ?? r.list ?? r.segment) !== undefined && /^(tag_added|list_joined|segment_joined)$/.test(r.happening)
    )
  );
  // Messages of this journey come behind its entry: what is opened or answered here is of any, or of another journey.
  const outside = $derived({ ...known, messages: [], tasks: [] });
  let problem = $state({ date: '', timetable: '', opens: '' });

  /** Sets keys; those that are undefined are taken out, and so is what no longer has a meaning. */
  function set(part: { [K in keyof Entry]?: Entry[K] | undefined }, field: string): void {
    const next = { ...entry, ...part } as Entry;
    for (const key of Object.keys(next) as (keyof Entry)[]) if (next[key] === undefined) delete next[key];
    const has = next.on?.some(
      (r) =>
        (r.tag ?? r.list ?? r.segment) !== undefined && /^(tag_added|list_joined|segment_joined)$/.test(r.happening)
    );
    if (!has) delete next.existing;
    onchange(next, field);
  }
  const setOn = (names: string[], rest: HappeningFilter[]): void =>
    set({ on: [...names.map((tag) => ({ happening: 'tag_added' as const, tag })), ...rest] }, 'entry');
  function setDate(text: string): void {
    const read = readEntryDate(text, around);
    problem.date = 'problem' in read ? read.problem : '';
    if ('problem' in read) return;
    const yearly = entry.date && 'field' in entry.date ? entry.date.yearly : undefined;
    const date = read.date && 'field' in read.date && yearly ? { ...read.date, yearly } : read.date;
    set({ date: date ?? undefined }, 'date');
  }
  function setTimetable(text: string): void {
    const read = readTimetable(text);
    problem.timetable = 'problem' in read ? read.problem : '';
    if ('problem' in read) return;
    set({ timetable: read.timetable ?? undefined }, 'timetable');
  }
  const own = $derived(journey.zone ?? zone);
  /** As the browser's own box for a day and a time takes it. */
  const opens = $derived.by(() => {
    const at = entry.opens === undefined ? null : parseInstant(entry.opens);
    return at === null ? '' : new Date(toWall(own, at)).toISOString().slice(0, 16);
  });
  function setOpens(text: string): void {
    const wall = text === '' ? null : Date.parse(`${text}:00Z`);
    set({ opens: wall === null || !Number.isFinite(wall) ? undefined : instantText(fromWall(own, wall)) }, 'opens');
  }
  function setHoldOut(text: string): void {
    const share = Number(text.replace(',', '.'));
    if (Number.isFinite(share) && share >= 0 && share <= 100)
      set({ holdOut: share > 0 ? share : undefined }, 'holdOut');
  }
  const AGAIN = [
    ['once', 'once, ever'],
    ['again', 'again, once they have left'],
    ['restart', 'again, from the beginning each time'],
    ['each', 'each time, beside what runs already']
  ] as const;
  const usual = $derived(
    entry.timetable || (entry.date && 'field' in entry.date && entry.date.yearly) ? 'again' : 'once'
  );
</script>

<TagsInput label="Whoever gets the tag" value={tags} tags={known.tags} onchange={(names) => setOn(names, others)} />
{#each others as way, i (i)}
  <div class="way">
    <p class="soft">or when</p>
    {#if isHeard(way.happening)}
      <HappeningForm
        happening={way}
        known={outside}
        onchange={(to) =>
          setOn(
            tags,
            others.map((o, n) => (n === i ? to : o))
          )}
      />
    {:else}<p>they {ruleWords(way, (key) => key)}</p>{/if}
    <button
      class="act"
      onclick={() =>
        setOn(
          tags,
          others.filter((_, n) => n !== i)
        )}>Not this way</button
    >
  </div>
{/each}
<button
  class="act add"
  onclick={() => setOn(tags, [...others, asking('purchased', { happening: 'purchased' }, outside)])}
  >Or when something else happens</button
>
<TextInput
  size="sm"
  labelText="On a date"
  placeholder="10d before visit, 12 May"
  value={entryDateText(entry.date)}
  invalid={problem.date !== ''}
  invalidText={problem.date}
  on:change={(e) => setDate(inputText(e))}
/>
{#if entry.date && 'field' in entry.date}
  {@const date = entry.date}
  <Checkbox
    labelText="Every year"
    checked={date.yearly ?? false}
    on:check={(e) => {
      const { yearly: _, ...rest } = date;
      if (e.detail !== (date.yearly ?? false)) set({ date: e.detail ? { ...rest, yearly: true } : rest }, 'yearly');
    }}
  />
{/if}
<TextInput
  size="sm"
  labelText="On a timetable"
  placeholder="mon 12:00, 1st of each month 9:00"
  value={timetableText(entry.timetable)}
  invalid={problem.timetable !== ''}
  invalidText={problem.timetable}
  on:change={(e) => setTimetable(inputText(e))}
/>
{#if named}
  <Checkbox
    labelText="Those who have it already enter when it goes live"
    checked={entry.existing ?? false}
    on:check={(e) => e.detail !== (entry.existing ?? false) && set({ existing: e.detail }, 'existing')}
  />
{/if}
<h4>Only those who …</h4>
{#if entry.where}
  <ConditionForm
    condition={entry.where}
    known={{ ...known, messages: [] }}
    onchange={(where) => set({ where }, 'where')}
  />
  <button class="act" onclick={() => set({ where: undefined }, 'where')}>No such rule</button>
{:else}
  <button class="act" onclick={() => set({ where: { consent: 'email' } }, 'where')}>Add a rule for entering</button>
{/if}
<div class="after">
  <Pick
    shown
    label="How often"
    options={AGAIN}
    value={entry.again ?? usual}
    onchange={(again) => set({ again: again === usual ? undefined : again }, 'again')}
  />
  <TextInput
    size="sm"
    type="datetime-local"
    labelText="Not before (by {own})"
    value={opens}
    on:change={(e) => setOpens((e.target as HTMLInputElement).value)}
  />
  <TextInput
    size="sm"
    labelText="Held out, %: watched, and sent nothing"
    value={entry.holdOut ? String(entry.holdOut) : ''}
    disabled={journey.goal?.within === undefined}
    helperText={journey.goal?.within === undefined ? 'Needs a goal that counts within a time.' : ''}
    on:change={(e) => setHoldOut(inputText(e) || '0')}
  />
</div>

<style>
  .way {
    margin-bottom: 6px;
    padding-left: 8px;
    border-left: 2px solid var(--rule);
  }
  .way .soft {
    font-size: 12px;
  }
  .add {
    margin-bottom: 10px;
  }
  .after {
    margin-top: 10px;
  }
  h4 {
    margin: 8px 0 4px;
    color: var(--ink-soft);
    font-size: 12px;
    font-weight: 400;
  }
</style>
