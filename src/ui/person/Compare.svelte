<!-- Two people side by side: what each has, whose stays, and what becomes of it when they are made one. -->
<script lang="ts">
  import { own } from '$core/own.ts';
  import { enhance } from '$app/forms';
  import { Button } from 'carbon-components-svelte';
  import type { ConsentState, FieldValue } from '$core/person/values.ts';
  import { and, fieldText, number } from '$core/tell/words.ts';
  import type { Comparison, Side, Which } from '$server/people/compare.ts';
  import { useFormat } from '$ui/format.ts';

  interface Props {
    of: Comparison;
    /** Somebody said that they are different people. */
    marked: { by: string; at: number } | null;
  }
  let { of, marked }: Props = $props();
  const format = useFormat();
  let chosen = $state<Record<string, Which>>({});
  const whose = (name: string): Which => own(chosen, name) ?? of.facts.find((f) => f.name === name)?.usual ?? 'a';
  const sides = $derived([
    ['a', of.a],
    ['b', of.b]
  ] as const);
  const same = (a: FieldValue | null, b: FieldValue | null): boolean => JSON.stringify(a) === JSON.stringify(b);
  const shown = (value: FieldValue | null): string => (value === null ? '' : fieldText(value));
  const consent = (state: ConsentState | null): string => state ?? 'never asked';
  const channelOf = { email: 'email', sms: 'phone' } as const;
  const further = $derived(
    (['email', 'phone'] as const).flatMap((name) => {
      const fact = of.facts.find((f) => f.name === name);
      if (!fact || fact.a === null || fact.b === null || same(fact.a, fact.b)) return [];
      return [shown(whose(name) === 'a' ? fact.b : fact.a)];
    })
  );
  const united = (key: 'tags' | 'lists'): number => new Set([...of.a[key], ...of.b[key]]).size;
  const FIGURES = [
    ['walks', 'Walks'],
    ['messages', 'Messages'],
    ['happenings', 'Happenings'],
    ['notes', 'Notes']
  ] as const;
  const labels = (side: Side, key: 'tags' | 'lists'): string => side[key].join(', ');
</script>

<section aria-label="{of.a.name} and {of.b.name}">
  {#if marked}
    <form class="marked" method="post" action="?/notDifferent" use:enhance>
      <input type="hidden" name="one" value={of.a.id} /><input type="hidden" name="other" value={of.b.id} />
      {marked.by} said on {format.date(marked.at)} that they are different people.
      <button class="act">Take that back</button>
    </form>
  {/if}
  <table class="figures">
    <thead>
      <tr>
        <th></th>
        {#each sides as [which, side] (which)}
          <th
            ><a href="/people/{side.id}">{side.name}</a>
            <span class="soft">known since {format.date(side.since)}</span></th
          >
        {/each}
        <th class="then">Then</th>
      </tr>
    </thead>
    <tbody>
      {#each of.facts as f (f.name)}
        <tr>
          <th scope="row">{f.name.replace(/_/g, ' ')}</th>
          {#if same(f.a, f.b)}
            <td colspan="2" class="both">{shown(f.a)}</td>
            <td></td>
          {:else}
            {#each sides as [which] (which)}
              <td class:stays={whose(f.name) === which} class:goes={whose(f.name) !== which}>
                {#if f[which] !== null}
                  <label>
                    <input
                      type="radio"
                      name="whose-{f.name}"
                      checked={whose(f.name) === which}
                      disabled={f.a === null || f.b === null}
                      onchange={() => (chosen[f.name] = which)}
                      aria-label="{f.name.replace(/_/g, ' ')}: {shown(f[which])} stays"
                    />
                    <span>{shown(f[which])}</span>
                  </label>
                {/if}
              </td>
            {/each}
            <td></td>
          {/if}
        </tr>
      {/each}
      {#each of.consents as c (c.channel)}
        {@const becomes = c.becomes[whose(channelOf[c.channel])]}
        <tr>
          <th scope="row">Consent, {c.channel === 'email' ? 'email' : 'text'}</th>
          <td>{consent(c.a)}</td>
          <td>{consent(c.b)}</td>
          <td class="becomes" class:bad={becomes === 'withdrawn'}>{consent(becomes)}</td>
        </tr>
      {/each}
      {#each ['tags', 'lists'] as const as key (key)}
        {#if united(key)}
          <tr>
            <th scope="row">{key === 'tags' ? 'Tags' : 'Lists'}</th>
            <td class="names" title={labels(of.a, key)}>{labels(of.a, key)}</td>
            <td class="names" title={labels(of.b, key)}>{labels(of.b, key)}</td>
            <td class="becomes">all {number(united(key))}</td>
          </tr>
        {/if}
      {/each}
      {#each FIGURES as [key, name] (key)}
        {#if of.a[key] + of.b[key] > 0}
          <tr>
            <th scope="row">{name}</th>
            <td>{number(of.a[key])}</td>
            <td>{number(of.b[key])}</td>
            <td class="becomes">all {number(of.a[key] + of.b[key])}</td>
          </tr>
        {/if}
      {/each}
    </tbody>
  </table>
  <ul>
    {#each of.ends as end (`${end.whose}${end.walk}`)}
      <li>
        The walk of {of[end.whose].name} in “{end.journey}” ends: the other is in it since longer, and nobody walks it
        twice. What of it waits to go out does not.
      </li>
    {/each}
    {#if further.length}
      <li>
        {and(further)}
        {further.length > 1 ? 'become further addresses' : 'becomes a further address'} of theirs: answers from there, files
        and programs find them by it.
      </li>
    {/if}
    <li>Points are added up; the later deed counts for rungs. What does not stay is kept in the timeline.</li>
  </ul>
  <div class="acts">
    <form method="post" action="?/merge" use:enhance>
      <input type="hidden" name="one" value={of.a.id} />
      <input type="hidden" name="other" value={of.b.id} />
      <input type="hidden" name="seen" value={of.seen} />
      <input type="hidden" name="choose" value={JSON.stringify(chosen)} />
      <Button size="small" type="submit">Make them one</Button>
    </form>
    {#if !marked}
      <form method="post" action="?/different" use:enhance>
        <input type="hidden" name="person" value={of.a.id} /><input type="hidden" name="person" value={of.b.id} />
        <Button size="small" kind="tertiary" type="submit">Different people</Button>
      </form>
    {/if}
    <span class="soft">This is for good.</span>
  </div>
</section>

<style>
  section {
    padding: 10px 12px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  table {
    width: 100%;
    table-layout: fixed;
  }
  thead th {
    line-height: 1.3;
  }
  thead .soft {
    display: block;
    font-weight: 400;
  }
  th:first-child {
    width: 104px;
  }
  .then {
    width: 84px;
  }
  tbody th,
  tbody td {
    padding-block: 3px;
    vertical-align: top;
    overflow-wrap: anywhere;
  }
  tbody th {
    color: var(--ink-soft);
    font-weight: 400;
    text-align: left;
    border-bottom: 1px solid var(--rule-soft);
  }
  label {
    display: flex;
    gap: 6px;
    align-items: baseline;
    cursor: pointer;
  }
  .stays {
    background: var(--action-pale);
  }
  .goes span {
    color: var(--ink-soft);
    text-decoration: line-through;
  }
  .both {
    color: var(--ink-soft);
  }
  .becomes {
    font-weight: 600;
  }
  .bad {
    color: var(--failure);
  }
  .names {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  ul {
    margin: 10px 0;
    padding-left: 16px;
    color: var(--ink-soft);
    font-size: 13px;
    list-style: disc;
  }
  .acts {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .marked {
    margin-bottom: 8px;
  }
</style>
