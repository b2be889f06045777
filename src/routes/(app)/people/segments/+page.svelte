<script lang="ts">
  import { enhance } from '$app/forms';
  import { onMount } from 'svelte';
  import { goto, invalidate } from '$app/navigation';
  import { Button, TextInput } from 'carbon-components-svelte';
  import { conditionWords } from '$core/tell/condition.ts';
  import { number, plural } from '$core/tell/words.ts';
  import type { Day, Member } from '$server/segments/members.ts';
  import { useFormat } from '$ui/format.ts';
  import SaveTable from '$ui/kit/SaveTable.svelte';
  import Pick from '$ui/kit/Pick.svelte';
  import Frame from '$ui/people/Frame.svelte';
  import StepLine from '$ui/kit/StepLine.svelte';
  import Figures from '$ui/kit/Figures.svelte';
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
  const dayWords = (days: Day[]): string => {
    const [first, last] = [days[0], days.at(-1)];
    if (!first || !last) return 'Members day by day: nobody yet';
    return `Members day by day: ${number(first.members)} on ${first.date}, ${number(last.members)} on ${last.date}`;
  };
  const count = (s: { members: number; more: boolean }): string => `${number(s.members)}${s.more ? '+' : ''}`;
</script>

{#snippet people(title: string, of: Member[], none: string)}
  <div>
    <h3>
      {title}
      {#if of.length}<SaveTable
          name="{chosen?.name ?? 'segment'}, {title.toLowerCase()}"
          rows={() =>
            of.map((m) => ({
              person: m.id,
              name: m.name,
              joined: new Date(m.since).toISOString(),
              left: m.left === null ? null : new Date(m.left).toISOString()
            }))}
        />{/if}
    </h3>
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

<Frame title="Segments" columns="340px minmax(0, 1fr)" problem={data.problem}>
  {#snippet head()}
    <p class="soft">Made on <a href="/people">People</a>, from a rule; who is in them changes by itself.</p>
    {#if data.segments.length}
      <SaveTable
        name="segments"
        rows={() =>
          data.segments.map((s) => ({ segment: s.name, rule: conditionWords(s.when, String), people: s.members }))}
      />
    {/if}
  {/snippet}
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
          {:else if data.age.daily}What happens to somebody counts at once; what the days bring was looked at {data.age
              .lookedAt === null
              ? 'when it was saved'
              : format.dateTime(data.age.lookedAt)}, and is at the next midnight.
          {:else}As of now: whatever happens to somebody counts at once.{/if}
        </p>
      {/if}
      <StepLine
        label={dayWords(data.asked.days)}
        points={data.asked.days.map((d) => ({ x: d.date.slice(5), y: d.members }))}
      />
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
        <Figures
          testid="compared"
          figures={[
            { name: `only ${chosen.name}`, n: data.asked.compared.onlyFirst },
            { name: 'both', n: data.asked.compared.both },
            { name: `only ${data.other}`, n: data.asked.compared.onlySecond }
          ]}
        />
      {/if}
      <div class="two">
        {@render people('Joined last', data.asked.members.inside, 'Nobody is in it.')}
        {@render people('Left last', data.asked.members.gone, 'Nobody has left it.')}
      </div>
    </section>
  {/if}
</Frame>

<style>
  h2 {
    margin-bottom: 8px;
    font-size: 16px;
    font-weight: 700;
  }
  h3 {
    display: flex;
    justify-content: space-between;
    margin-bottom: 2px;
    font-size: 13px;
    font-weight: 650;
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
