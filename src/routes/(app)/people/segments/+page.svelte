<script lang="ts">
  import { enhance } from '$app/forms';
  import { onMount } from 'svelte';
  import { goto, invalidate } from '$app/navigation';
  import { Button, TextInput } from 'carbon-components-svelte';
  import { conditionWords } from '$core/tell/condition.ts';
  import { number, plural } from '$core/tell/words.ts';
  import type { Member } from '$server/segments/members.ts';
  import { useFormat } from '$ui/format.ts';
  import SaveTable from '$ui/kit/SaveTable.svelte';
  import Pick from '$ui/kit/Pick.svelte';
  import Members from '$ui/segments/Members.svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();
  const chosen = $derived(data.segments.find((s) => s.name === data.chosen) ?? null);
  const others = $derived(data.segments.filter((s) => s.name !== data.chosen));
  /** Who is in them changes by itself; it is not counted for whatever happens to anybody. */
  const EVERY_MS = 10_000;
  onMount(() => {
    const timer = setInterval(() => void invalidate('app:segments'), EVERY_MS);
    return () => clearInterval(timer);
  });
  const hrefOf = (name: string, other: string | null = null): string =>
    `?name=${encodeURIComponent(name)}${other ? `&with=${encodeURIComponent(other)}` : ''}`;
  const count = (s: { members: number; more: boolean }): string => `${number(s.members)}${s.more ? '+' : ''}`;
</script>

{#snippet people(title: string, of: Member[], none: string)}
  <div>
    <h3>{title}</h3>
    <table class="figures">
      <tbody>
        {#each of as m (m.id)}
          <tr>
            <td><a href="/people/{m.id}">{m.name}</a></td>
            <td class="soft">{format.date(m.since)}{m.left === null ? '' : ` to ${format.date(m.left)}`}</td>
          </tr>
        {:else}<tr><td class="soft">{none}</td></tr>{/each}
      </tbody>
    </table>
  </div>
{/snippet}

<svelte:head><title>Segments · Ambulo</title></svelte:head>

<div class="page">
  <header>
    <h1>Segments</h1>
    <p class="soft">Made on <a href="/people">People</a>, from a rule; who is in them changes by itself.</p>
    {#if data.segments.length}
      <SaveTable
        name="segments"
        rows={() =>
          data.segments.map((s) => ({ segment: s.name, rule: conditionWords(s.when, String), people: s.members }))}
      />
    {/if}
  </header>
  {#if data.problem}<p class="problem" role="alert">{data.problem}</p>{/if}
  <div class="beside">
    <section>
      <table class="figures" aria-label="Saved segments">
        <thead><tr><th>Segment</th><th class="number">People</th></tr></thead>
        <tbody>
          {#each data.segments as s (s.name)}
            <tr class:chosen={s.name === data.chosen}>
              <td>
                <a href={hrefOf(s.name)}>{s.name}</a>
                <small class="soft">They {conditionWords(s.when, String)}.</small>
              </td>
              <td class="number">{count(s)}</td>
            </tr>
          {:else}
            <tr><td class="soft" colspan="2">None yet. Ask for “Only those who …” on People, and keep it.</td></tr>
          {/each}
        </tbody>
      </table>
    </section>
    {#if chosen && data.asked}
      <section aria-label={chosen.name}>
        <h2>
          {chosen.name} <span class="soft">{plural(data.asked.days.at(-1)?.members ?? 0, 'person', 'people')}</span>
        </h2>
        {#if data.age}
          <p class="soft" data-testid="age">
            {#if data.age.looking}Everybody is held against it just now: {number(data.age.looking.asked)} of {number(
                data.age.looking.total
              )}.
            {:else if data.age.daily}What happens to somebody counts at once; what the days bring was looked at {data
                .age.lookedAt === null
                ? 'when it was saved'
                : format.dateTime(data.age.lookedAt)}, and is at the next midnight.
            {:else}As of now: whatever happens to somebody counts at once.{/if}
          </p>
        {/if}
        <Members days={data.asked.days} />
        <div class="acts">
          {#if others.length}
            <Pick
              label="Beside"
              shown
              options={[['', 'no other'], ...others.map((s) => [s.name, s.name] as [string, string])]}
              value={data.other ?? ''}
              onchange={(other) => void goto(hrefOf(chosen.name, other || null), { keepFocus: true, noScroll: true })}
            />
          {/if}
          <form method="post" action="?/freeze" use:enhance>
            <input type="hidden" name="segment" value={chosen.name} />
            <input type="hidden" name="expected" value={data.asked.days.at(-1)?.members ?? 0} />
            <TextInput
              size="sm"
              name="list"
              labelText="Freeze it into the list"
              maxlength={80}
              placeholder="{chosen.name}, {format.date(data.clock.now)}"
            />
            <Button size="small" kind="tertiary" type="submit"
              >Put {plural(data.asked.days.at(-1)?.members ?? 0, 'person', 'people')} on it</Button
            >
          </form>
        </div>
        {#if form && 'problem' in form && form.problem}<p class="problem" role="alert">{form.problem}</p>{/if}
        {#if form && 'frozen' in form}<p class="done" role="status">
            They are being put on “{form.frozen}”; how far that is stands on <a href="/people">People</a>, and can be
            taken back there.
          </p>{/if}
        {#if data.asked.compared && data.other}
          <dl class="three" data-testid="compared">
            <div>
              <dt>only {chosen.name}</dt>
              <dd>{number(data.asked.compared.onlyFirst)}</dd>
            </div>
            <div>
              <dt>both</dt>
              <dd>{number(data.asked.compared.both)}</dd>
            </div>
            <div>
              <dt>only {data.other}</dt>
              <dd>{number(data.asked.compared.onlySecond)}</dd>
            </div>
          </dl>
        {/if}
        <div class="two">
          {@render people('Joined last', data.asked.members.inside, 'Nobody is in it.')}
          {@render people('Left last', data.asked.members.gone, 'Nobody has left it.')}
        </div>
      </section>
    {/if}
  </div>
</div>

<style>
  .page {
    padding: 16px 24px;
  }
  header {
    display: flex;
    gap: 16px;
    align-items: baseline;
    margin-bottom: 10px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  h2 {
    margin-bottom: 8px;
    font-size: 16px;
    font-weight: 700;
  }
  h3 {
    margin-bottom: 2px;
    font-size: 13px;
    font-weight: 650;
  }
  .beside {
    display: grid;
    grid-template-columns: 340px minmax(0, 1fr);
    gap: 12px;
    align-items: start;
  }
  section {
    min-width: 0;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  section + section {
    padding: 12px 14px;
  }
  table {
    width: 100%;
  }
  small {
    display: block;
  }
  .chosen td {
    background: var(--action-pale);
  }
  .acts {
    display: flex;
    gap: 24px;
    align-items: end;
    margin: 10px 0;
  }
  form {
    display: flex;
    flex: 1;
    gap: 8px;
    align-items: end;
  }
  form :global(.bx--btn) {
    flex: none;
  }
  .three {
    display: grid;
    grid-template-columns: repeat(3, 1fr);
    margin: 8px 0;
    border: 1px solid var(--rule);
  }
  .three > div {
    padding: 6px 10px;
  }
  .three > div + div {
    border-left: 1px solid var(--rule);
  }
  dt {
    color: var(--ink-soft);
    font-size: 12.5px;
  }
  dd {
    margin: 0;
    font-size: 19px;
    font-weight: 650;
    font-variant-numeric: tabular-nums;
  }
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 20px;
    margin-top: 12px;
  }
  .problem {
    color: var(--failure);
  }
  .done {
    color: var(--done);
  }
</style>
