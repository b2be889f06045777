<!-- Whom the table shows, as a rule: put together or typed, taken from a saved segment, saved as one. -->
<script lang="ts">
  import { enhance } from '$app/forms';
  import { onMount } from 'svelte';
  import type { SubmitFunction } from '@sveltejs/kit';
  import { send } from '$ui/api.ts';
  import { Button, TextInput } from 'carbon-components-svelte';
  import type { Condition } from '$core/condition/schema.ts';
  import { conditionWords } from '$core/tell/condition.ts';
  import { number } from '$core/tell/words.ts';
  import { isBlank } from '$core/check/unfinished.ts';
  import type { KnownNames } from '$server/people/names.ts';
  import type { SegmentLine } from '$server/settings/segments.ts';
  import ConditionForm from '$ui/sheet/ConditionForm.svelte';
  import { freshQuestion } from '$ui/sheet/condition.ts';

  interface Props {
    where: Condition | null;
    known: KnownNames;
    journeys: { key: string; name: string }[];
    onchange: (where: Condition | null) => void;
    onclose: () => void;
  }
  let { where, known, journeys, onchange, onclose }: Props = $props();

  const nameable = $derived({ ...known, messages: [], tasks: [], journeys });
  /** What is put together here, until the address says the same: a rule that asks nothing yet narrows nothing. */
  // svelte-ignore state_referenced_locally
  let condition = $state.raw<Condition>(where ?? freshQuestion('tag', nameable));
  let name = $state('');
  let segments = $state.raw<SegmentLine[]>([]);
  let revision = $state(0);
  /** While it is open: who is in them changes by itself. */
  const EVERY_MS = 5000;
  async function look(): Promise<void> {
    const answer = await send<{ segments: SegmentLine[]; revision: number }>('GET', '/api/people/segments');
    if (answer.ok) ({ segments, revision } = answer.data);
  }
  onMount(() => {
    void look();
    const timer = setInterval(() => void look(), EVERY_MS);
    return () => clearInterval(timer);
  });
  const same = $derived(segments.find((s) => s.name === name.trim()));

  /** What came of the last save. Kept here: the page forgets it once its address follows the rule. */
  let told = $state({ problem: '', saved: '' });
  /** What is typed stays; the list shows what came of it at once. */
  const then: ReturnType<SubmitFunction> = async ({ update, result }) => {
    const said = (result.type === 'success' || result.type === 'failure' ? result.data : undefined) ?? {};
    told = { problem: String(said['segmentProblem'] ?? ''), saved: String(said['segmentSaved'] ?? '') };
    await update({ reset: false });
    await look();
  };
  function give(next: Condition): void {
    condition = next;
    onchange(isBlank(next) ? null : next);
  }
  function take(segment: SegmentLine): void {
    name = segment.name;
    give(segment.when);
  }
</script>

<aside aria-label="Only those who">
  <header>
    <h2>Only those who …</h2>
    <button class="act" onclick={onclose}>Close</button>
  </header>
  <ConditionForm {condition} known={nameable} onchange={give} />
  <form method="post" action="?/segment" use:enhance={() => then}>
    <input type="hidden" name="where" value={JSON.stringify(condition)} />
    <input type="hidden" name="revision" value={revision} />
    <TextInput size="sm" name="name" labelText="Keep it as a segment named" maxlength={80} bind:value={name} />
    <Button size="small" type="submit" disabled={!name.trim() || isBlank(condition)}
      >{same ? `Change “${same.name}” to this` : 'Save the segment'}</Button
    >
    {#if told.problem}<p class="problem" role="alert">{told.problem}</p>{/if}
    {#if told.saved}<p class="soft" role="status">
        “{told.saved}” is saved. Everybody is looked at once; journeys follow it from then on.
      </p>{/if}
  </form>
  <section aria-label="Saved segments">
    <h3>Saved segments</h3>
    {#each segments as s (s.name)}
      <div class="segment">
        <div>
          <button class="act name" onclick={() => take(s)}>{s.name}</button>
          <span class="soft">{s.more ? 'more than ' : ''}{number(s.members)}</span>
        </div>
        <p class="soft">They {conditionWords(s.when, String)}.</p>
        {#if s.usedIn.length}
          <p class="soft">
            Used in {#each s.usedIn as u, i (u.kind + u.key)}{i ? ', ' : ''}{#if u.kind === 'journey'}<a
                  href="/journeys/{u.key}">{u.name}</a
                >{:else}{u.name}{/if}{/each}
          </p>
        {:else}
          <form method="post" action="?/removeSegment" use:enhance={() => then}>
            <input type="hidden" name="name" value={s.name} />
            <input type="hidden" name="revision" value={revision} />
            <button class="act">Delete it: nothing uses it</button>
          </form>
        {/if}
      </div>
    {:else}
      <p class="soft">None yet. Journeys can start from a segment, ask for it, and end by it.</p>
    {/each}
  </section>
</aside>

<style>
  aside {
    flex: none;
    width: 320px;
    padding: 12px 14px 24px;
    background: var(--surface);
    border: 1px solid var(--rule);
    box-sizing: border-box;
  }
  header {
    display: flex;
    justify-content: space-between;
    margin-bottom: 10px;
  }
  h2,
  h3 {
    font-size: 14px;
    font-weight: 700;
  }
  h3 {
    margin: 16px 0 4px;
    padding-top: 12px;
    border-top: 1px solid var(--rule);
  }
  form {
    display: grid;
    gap: 8px;
    justify-items: start;
  }
  form :global(.bx--form-item) {
    width: 100%;
  }
  .segment {
    padding: 6px 0;
  }
  .segment > div {
    display: flex;
    justify-content: space-between;
  }
  .segment p {
    font-size: 12.5px;
  }
  .name {
    font-weight: 650;
  }
  .problem {
    color: var(--failure);
  }
</style>
