<!-- How many stand where: today, and as a change would have it, beside each other as bars. -->
<script lang="ts">
  import { number, percent, plural } from '$core/tell/words.ts';
  import type { Outlook } from '$server/engagement/preview.ts';
  import SaveTable from '$ui/kit/SaveTable.svelte';
  import type { Band } from './bands.ts';

  interface Props {
    outlook: Outlook | null;
    bands: Band[];
    busy: boolean;
    problem: string;
    /** Whether anything was changed. */
    changed: boolean;
  }
  let { outlook, bands, busy, problem, changed }: Props = $props();
  const most = $derived(Math.max(1, ...bands.flatMap((b) => [b.today, b.then])));
  const part = $derived(outlook !== null && outlook.looked < outlook.total);
  const share = (n: number): string => percent(outlook?.looked ? n / outlook.looked : 0);
</script>

<section aria-label="Who stands where" aria-busy={busy}>
  <h3>
    Who stands where
    {#if outlook && !part}<SaveTable
        name="who stands where"
        rows={() => bands.map((b) => ({ band: b.name, today: b.today, ...(changed ? { then: b.then } : {}) }))}
      />{/if}
  </h3>
  {#if problem}<p class="problem" role="alert">{problem}</p>
  {:else if outlook}
    <p role="status">
      {#if part}{number(outlook.looked)} of {plural(outlook.total, 'person', 'people')} looked at so far: shares are about
        right.
      {:else if !changed}{plural(outlook.total, 'person', 'people')}, as it is.
      {:else if outlook.moved === 0}Nobody of {plural(outlook.total, 'person', 'people')} would stand elsewhere.
      {:else}<strong>{number(outlook.moved)}</strong> of {plural(outlook.total, 'person', 'people')} would stand elsewhere.{/if}
    </p>
    {#if part}<progress max={outlook.total} value={outlook.looked} aria-label="People looked at"></progress>{/if}
    <table class="figures">
      <thead>
        <tr><th></th><th class="number">Today</th><th class="number">{changed ? 'Then' : ''}</th><th></th></tr>
      </thead>
      <tbody>
        {#each bands as b (b.name)}
          <tr>
            <th scope="row">{b.name}</th>
            <td class="number" title={share(b.today)}>{part ? share(b.today) : number(b.today)}</td>
            <td class="number" title={share(b.then)}
              >{#if changed}<strong class:up={b.then > b.today} class:down={b.then < b.today}
                  >{part ? share(b.then) : number(b.then)}</strong
                >{/if}</td
            >
            <td class="bars" aria-hidden="true">
              <span class="today" class:none={!b.today} style:width="{(100 * b.today) / most}%"></span>
              {#if changed}<span class="then" class:none={!b.then} style:width="{(100 * b.then) / most}%"></span>{/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  {:else}<p class="soft">{busy ? 'Working it out from what is on record …' : ''}</p>{/if}
</section>

<style>
  section {
    padding: 10px 12px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  section[aria-busy='true'] table {
    opacity: 0.6;
  }
  h3 {
    display: flex;
    justify-content: space-between;
    font-size: 14px;
    font-weight: 700;
  }
  table {
    width: 100%;
    margin-top: 6px;
  }
  tbody th {
    font-weight: 400;
    text-align: left;
    white-space: nowrap;
    border-bottom: 1px solid var(--rule-soft);
  }
  tbody th,
  td {
    padding-block: 4px;
    vertical-align: middle;
  }
  .bars {
    width: 45%;
  }
  .bars span {
    display: block;
    height: 7px;
    min-width: 1px;
  }
  .bars .none {
    visibility: hidden;
  }
  .today {
    background: var(--rule-strong);
  }
  .then {
    margin-top: 2px;
    background: var(--action);
  }
  progress {
    width: 100%;
  }
  .problem {
    color: var(--failure);
  }
</style>
