<!-- Brings a journey file in: dropped anywhere on the list, or chosen. It is looked at first: what it is, and what it lacks here. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { Button, Checkbox } from 'carbon-components-svelte';
  import { and, plural } from '$core/tell/words.ts';
  import { send } from '$ui/api.ts';
  import type { Brought } from '$server/journeys/bring.ts';

  let { onclose }: { onclose: () => void } = $props();

  const LONGEST = 2_000_000;
  let file = $state<{ name: string; text: string } | null>(null);
  let brought = $state<Brought | null>(null);
  let problems = $state<string[]>([]);
  let makeFields = $state(true);
  let busy = $state(false);
  let over = $state(false);

  export async function take(chosen: File | undefined): Promise<void> {
    if (!chosen) return;
    [brought, problems] = [null, []];
    if (chosen.size > LONGEST) {
      problems = [
        `${chosen.name} has ${Math.round(chosen.size / 1e6)} million bytes: a journey file has at most ${LONGEST / 1e6}.`
      ];
      return;
    }
    file = { name: chosen.name, text: await chosen.text() };
    busy = true;
    const answer = await send<{ brought?: Brought; problems?: string[] }>('POST', '/api/journeys/bring', {
      text: file.text,
      look: true,
      makeFields: false
    });
    busy = false;
    if (!answer.ok) problems = [answer.message];
    else {
      brought = answer.data.brought ?? null;
      problems = answer.data.problems ?? [];
    }
  }
  async function make(): Promise<void> {
    if (!file) return;
    busy = true;
    const answer = await send<{ key: string }>('POST', '/api/journeys/bring', {
      text: file.text,
      look: false,
      makeFields
    });
    busy = false;
    if (answer.ok) await goto(`/journeys/${answer.data.key}`);
    else problems = [answer.message];
  }
  const comes = $derived(
    brought ? [...brought.missing.tags.map((t) => `tag ${t}`), ...brought.missing.lists.map((l) => `list ${l}`)] : []
  );
  const lacks = $derived(
    brought
      ? [
          ...brought.missing.segments.map((s) => `the segment ${s}`),
          ...brought.missing.journeys.map((j) => `the journey ${j}`)
        ]
      : []
  );
</script>

<section
  class:over
  aria-label="Bring a journey file"
  ondragover={(e) => {
    e.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={(e) => {
    e.preventDefault();
    e.stopPropagation();
    over = false;
    void take(e.dataTransfer?.files[0]);
  }}
>
  <p>
    <label class="choose"
      >Choose a journey file<input
        type="file"
        accept=".json,application/json"
        onchange={(e) => void take(e.currentTarget.files?.[0])}
      /></label
    > <span class="soft">or drop it on this page</span>
  </p>
  {#if problems.length}
    <div role="alert">
      <p class="bad">{file ? `${file.name} cannot be brought in as it is:` : 'This cannot be brought in:'}</p>
      <ul>
        {#each problems as problem, i (i)}<li>{problem}</li>{/each}
      </ul>
    </div>
  {:else if brought}
    <p>
      <strong>{brought.name}</strong>, {plural(brought.steps, 'step', 'steps')}. It becomes a draft; nothing goes out.
    </p>
    {#if brought.missing.fields.length}
      <Checkbox
        labelText="Make the fields that are not here: {and(brought.missing.fields)}"
        bind:checked={makeFields}
      />
    {/if}
    {#if comes.length}<p class="soft">Not here yet, and made when they are first used: {and(comes)}.</p>{/if}
    {#if lacks.length}<p>Not here, and needed before it goes live: {and(lacks)}.</p>{/if}
  {/if}
  <p class="acts">
    <Button size="field" disabled={!brought || busy} on:click={() => void make()}>Bring it in</Button>
    <Button size="field" kind="ghost" on:click={onclose}>Cancel</Button>
  </p>
</section>

<style>
  section {
    display: grid;
    gap: 8px;
    margin-bottom: 16px;
    padding: 14px;
    background: var(--surface);
    border: 1px dashed var(--rule-field);
  }
  .over {
    background: var(--action-ground);
    border-color: var(--action);
  }
  .choose {
    color: var(--action);
    cursor: pointer;
  }
  .choose:hover,
  .choose:focus-within {
    text-decoration: underline;
  }
  input {
    position: absolute;
    width: 1px;
    height: 1px;
    opacity: 0;
  }
  .acts {
    display: flex;
    gap: 8px;
  }
  ul {
    padding-left: 18px;
  }
  .bad {
    color: var(--failure);
  }
</style>
