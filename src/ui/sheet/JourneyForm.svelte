<!-- The rules of the journey as sentences: who gets in, what it is for, when people leave, when messages go out. -->
<script lang="ts">
  import { Checkbox, TextInput } from 'carbon-components-svelte';
  import type { TypedAround } from '$core/edit/typed-until.ts';
  import type { Journey } from '$core/journey/schema.ts';
  import { isZone } from '$core/time/civil.ts';
  import { namingOf } from '$core/tell/read-through.ts';
  import { typedDuration } from '$core/time/duration.ts';
  import { durationShort } from '$core/tell/words.ts';
  import type { Editor } from './editor.svelte.ts';
  import EntryForm from './EntryForm.svelte';
  import HoursForm from './HoursForm.svelte';
  import { inputText, type Nameable } from './panels/panel.ts';
  import RuleForm from './RuleForm.svelte';

  interface Props {
    editor: Editor;
    known: Nameable;
    around: TypedAround;
    /** The workspace's. */
    zone: string;
    /** Rules across journeys that hold here as well, in words. */
    across: string[];
  }
  let { editor, known, around, zone, across }: Props = $props();
  const j = $derived(editor.document);
  const name = $derived(namingOf(j));
  let zoneProblem = $state('');

  function set(part: Partial<Journey>, field: string): void {
    editor.apply({ edit: 'journey', set: part }, `journey/${field}`);
  }
  /** Text left empty takes the length away; what cannot be read changes nothing. */
  function length(typed: string, take: (length: string | undefined) => void): void {
    const read = typedDuration(typed);
    if (typed.trim() === '' || read) take(read ?? undefined);
  }
  function setWithin(within: string | undefined): void {
    if (!j.goal) return;
    const { within: _, ...goal } = j.goal;
    // Who is held out is watched for just so long.
    const { holdOut: _h, ...entry } = j.entry ?? {};
    set({ goal: within ? { ...goal, within } : goal, ...(within || !j.entry ? {} : { entry }) }, 'within');
  }
  function noGoal(): void {
    const { holdOut: _, ...entry } = j.entry ?? {};
    set({ goal: undefined, ...(j.entry ? { entry } : {}) }, 'goal');
  }
  function setZone(text: string): void {
    zoneProblem = text === '' || isZone(text) ? '' : `${text} is no zone: type one such as Europe/Dublin`;
    if (!zoneProblem) set({ zone: text || undefined }, 'zone');
  }
  const leaveWhen = $derived(j.leaveWhen ?? []);
  const setRule = (i: number, part: Partial<(typeof leaveWhen)[number]>, field: string): void =>
    set({ leaveWhen: leaveWhen.map((r, n) => (n === i ? { ...r, ...part } : r)) }, `leave${i}/${field}`);
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
<EntryForm journey={j} {known} {around} {zone} onchange={(entry, field) => set({ entry }, field)} />

<h3>Goal</h3>
{#if j.goal}
  {@const goal = j.goal}
  <RuleForm
    label="Goal"
    when={goal.when}
    {known}
    {name}
    onchange={(when) => set({ goal: { ...goal, when } }, 'goal')}
  />
  <Checkbox
    labelText="They leave when they reach it"
    checked={goal.leave ?? true}
    on:check={(e) => e.detail !== (goal.leave ?? true) && set({ goal: { ...goal, leave: e.detail } }, 'leave')}
  />
  <TextInput
    size="sm"
    labelText="Counts within (30d; empty: always)"
    value={goal.within ? durationShort(goal.within) : ''}
    on:change={(e) => length(inputText(e), setWithin)}
  />
  <button class="act" onclick={noGoal}>No goal</button>
{:else}
  <button class="act" onclick={() => set({ goal: { when: { tag: '' } } }, 'goal')}>Say what it is for</button>
{/if}

<h3>Leaving</h3>
{#each leaveWhen as rule, i (i)}
  <div class="rule">
    <RuleForm
      label="Leaving {i + 1}"
      when={rule.when}
      {known}
      {name}
      onchange={(when) => setRule(i, { when }, 'when')}
    />
    <TextInput
      size="sm"
      labelText="for the reason"
      value={rule.reason}
      on:input={(e) => setRule(i, { reason: inputText(e) }, 'reason')}
    />
    <button
      class="act"
      onclick={() =>
        set({ leaveWhen: leaveWhen.length === 1 ? undefined : leaveWhen.filter((_, n) => n !== i) }, 'leaveWhen')}
      >Remove this rule</button
    >
  </div>
{/each}
<button
  class="act"
  onclick={() =>
    set({ leaveWhen: [...leaveWhen, { when: { tag: '' }, reason: 'not for them any more' }] }, 'leaveWhen')}
  >Add a leave rule</button
>
<div class="idle">
  <TextInput
    size="sm"
    labelText="Idle limit: who stands still so long leaves"
    placeholder="90d"
    value={j.idle ? durationShort(j.idle) : ''}
    on:change={(e) => length(inputText(e), (idle) => set({ idle }, 'idle'))}
  />
</div>

<h3>Sending hours</h3>
<Checkbox
  labelText="Messages go out at certain hours only"
  checked={j.hours !== undefined}
  on:check={(e) =>
    e.detail !== (j.hours !== undefined) &&
    set({ hours: e.detail ? { from: '09:00', to: '20:00', zone: 'person' } : undefined }, 'hours')}
/>
{#if j.hours}
  <HoursForm hours={j.hours} zone={j.zone ?? zone} onchange={(hours) => set({ hours }, 'hours')} />
{/if}
<TextInput
  size="sm"
  labelText="Zone of whoever has none (empty: {zone})"
  value={j.zone ?? ''}
  invalid={zoneProblem !== ''}
  invalidText={zoneProblem}
  on:change={(e) => setZone(inputText(e).trim())}
/>

<h3>Across all journeys</h3>
{#each across as words (words)}<p class="across">{words}</p>{:else}<p class="soft across">
    No limit holds across journeys. <a href="/settings">Settings</a>
  </p>{/each}

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
    margin: 16px 0 6px;
    padding-top: 10px;
    font-size: 12.5px;
    font-weight: 700;
    border-top: 1px solid var(--rule-soft);
  }
  .rule {
    margin-bottom: 8px;
    padding-left: 8px;
    border-left: 2px solid var(--rule);
  }
  .idle {
    margin-top: 10px;
  }
  .across {
    font-size: 13px;
  }
</style>
