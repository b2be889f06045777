<script lang="ts">
  import { Checkbox, TextInput } from 'carbon-components-svelte';
  import { isHappening, type Condition, type Reason } from '$core/condition/schema.ts';
  import type { Journey } from '$core/journey/schema.ts';
  import { clockWays, oftenWords, ruleWords } from '$core/tell/condition.ts';
  import { namingOf } from '$core/tell/read-through.ts';
  import { typedDuration } from '$core/time/duration.ts';
  import { durationShort } from '$core/tell/words.ts';
  import ConditionForm from './ConditionForm.svelte';
  import type { Editor } from './editor.svelte.ts';
  import { inputText, type Nameable } from './panels/panel.ts';
  import { or } from '$core/tell/words.ts';
  import type { HappeningFilter } from '$core/condition/happening.ts';
  import TagsInput from './TagsInput.svelte';

  let { editor, known }: { editor: Editor; known: Nameable } = $props();
  const j = $derived(editor.document);
  /** A way in that is a tag and nothing more; all others are kept as they stand. */
  const isTag = (r: HappeningFilter): boolean => r.happening === 'tag_added' && Object.keys(r).length === 2;
  const entryTags = $derived((j.entry?.on ?? []).flatMap((r) => (isTag(r) && r.tag ? [r.tag] : [])));
  const otherWays = $derived((j.entry?.on ?? []).filter((r) => !isTag(r)));
  /** What a form can ask; happenings are told in words. */
  const conditionIn = (reason: Reason): Condition | null =>
    Array.isArray(reason) || isHappening(reason) ? null : reason;
  const goalCondition = $derived(j.goal ? conditionIn(j.goal.when) : null);

  function set(part: Partial<Journey>, field: string): void {
    editor.apply({ edit: 'journey', set: part }, `journey/${field}`);
  }
  function setEntryTags(names: string[]): void {
    const on = [...names.map((tag) => ({ happening: 'tag_added' as const, tag })), ...otherWays];
    const entry = { ...j.entry, on };
    if (!on.length) delete entry.existing;
    set({ entry }, 'entry');
  }
  function setHours(on: boolean): void {
    set({ hours: on ? { from: '09:00', to: '20:00', zone: 'person' } : undefined }, 'hours');
  }
  function setHour(key: 'from' | 'to', time: string): void {
    if (j.hours && time) set({ hours: { ...j.hours, [key]: time } }, key);
  }
  function setWithin(typed: string): void {
    if (!j.goal) return;
    const within = typedDuration(typed);
    if (typed.trim() === '' || within) set({ goal: { ...j.goal, within: within ?? undefined } }, 'within');
  }
</script>

<header>
  <div>
    <h2>Everyone</h2>
    <p class="soft">How people get in, and what the journey is for</p>
  </div>
</header>
{#key editor.key}
  <div data-first>
    <TextInput
      size="sm"
      labelText="Name"
      value={j.name ?? ''}
      on:input={(e) => set({ name: inputText(e) || undefined }, 'name')}
    />
  </div>
  <TextInput
    size="sm"
    labelText="Purpose"
    value={j.purpose ?? ''}
    on:input={(e) => set({ purpose: inputText(e) || undefined }, 'purpose')}
  />
{/key}
<h3>Getting in</h3>
<TagsInput label="Whoever gets the tag" value={entryTags} tags={known.tags} onchange={setEntryTags} />
{#if otherWays.length || clockWays(j.entry).length}
  <p class="hint">
    Also {or([...otherWays.map((r) => `those who ${ruleWords(r, (key) => key)}`), ...clockWays(j.entry)])}, {oftenWords(
      j.entry
    )}: as the file says.
  </p>
{/if}
{#if entryTags.length}
  <Checkbox
    labelText="Those who have it already enter when it goes live"
    checked={j.entry?.existing ?? false}
    on:check={(e) => set({ entry: { ...j.entry, existing: e.detail } }, 'existing')}
  />
{/if}
<h4>Only those who …</h4>
{#if j.entry?.where}
  <ConditionForm
    condition={j.entry.where}
    known={{ ...known, messages: [] }}
    onchange={(where) => set({ entry: { ...j.entry, where } }, 'where')}
  />
  <button class="act" onclick={() => set({ entry: { ...j.entry, where: undefined } }, 'where')}>No such rule</button>
{:else}
  <button class="act" onclick={() => set({ entry: { ...j.entry, where: { consent: 'email' } } }, 'where')}
    >Add a rule for entering</button
  >
{/if}

<h3>Goal</h3>
{#if j.goal}
  {#if goalCondition}
    <ConditionForm
      condition={goalCondition}
      {known}
      onchange={(when) => j.goal && set({ goal: { ...j.goal, when } }, 'goal')}
    />
  {:else}
    <p>They {ruleWords(j.goal.when, namingOf(j))}.</p>
  {/if}
  <Checkbox
    labelText="They leave when they reach it"
    checked={j.goal.leave ?? true}
    on:check={(e) => j.goal && set({ goal: { ...j.goal, leave: e.detail } }, 'leave')}
  />
  <TextInput
    size="sm"
    labelText="Counts within (30d; empty: always)"
    value={j.goal.within ? durationShort(j.goal.within) : ''}
    on:change={(e) => setWithin(inputText(e))}
  />
  <button class="act" onclick={() => set({ goal: undefined }, 'goal')}>No goal</button>
{:else}
  <button class="act" onclick={() => set({ goal: { when: { tag: '' } } }, 'goal')}>Say what it is for</button>
{/if}

<h3>Leaving</h3>
{#each j.leaveWhen ?? [] as rule, i (i)}
  {@const asked = conditionIn(rule.when)}
  {#if !asked}<p>Those who {ruleWords(rule.when, namingOf(j))}.</p>
  {:else}<ConditionForm
      condition={asked}
      {known}
      onchange={(when) => set({ leaveWhen: j.leaveWhen?.map((r, n) => (n === i ? { ...r, when } : r)) }, `leave${i}`)}
    />{/if}
  <button
    class="act"
    onclick={() =>
      set({ leaveWhen: j.leaveWhen?.length === 1 ? undefined : j.leaveWhen?.filter((_, n) => n !== i) }, 'leaveWhen')}
    >Remove this rule</button
  >
{/each}
<button
  class="act"
  onclick={() =>
    set({ leaveWhen: [...(j.leaveWhen ?? []), { when: { tag: '' }, reason: 'not for them any more' }] }, 'leaveWhen')}
  >Add a leave rule</button
>

<h3>Sending hours</h3>
<Checkbox
  labelText="Messages go out at certain hours only"
  checked={j.hours !== undefined}
  on:check={(e) => setHours(e.detail)}
/>
{#if j.hours}
  <div class="hours">
    <TextInput
      size="sm"
      type="time"
      labelText="from"
      value={j.hours.from}
      on:change={(e) => setHour('from', (e.target as HTMLInputElement).value)}
    />
    <TextInput
      size="sm"
      type="time"
      labelText="to"
      value={j.hours.to}
      on:change={(e) => setHour('to', (e.target as HTMLInputElement).value)}
    />
    <span class="soft">in each person’s own zone</span>
  </div>
{/if}

<style>
  header {
    margin-bottom: 12px;
    padding-bottom: 10px;
    border-bottom: 1px solid var(--rule);
  }
  header p {
    font-size: 12.5px;
  }
  h2 {
    font-size: 14px;
    font-weight: 700;
  }
  h3 {
    margin: 14px 0 6px;
    font-size: 12.5px;
    font-weight: 700;
  }
  h4 {
    margin: 8px 0 4px;
    color: var(--ink-soft);
    font-size: 12px;
    font-weight: 400;
  }
  .hours {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    margin-top: 4px;
    font-size: 12.5px;
  }
</style>
