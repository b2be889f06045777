<!-- What importing a file would do, in numbers: new, changed field by field, unchanged, refused by reason, which journeys hear. -->
<script lang="ts">
  import Figures from '$ui/kit/Figures.svelte';
  import type { Snippet } from 'svelte';
  import type { Preview } from '$server/imports/preview.ts';
  import { number, plural } from '$core/tell/words.ts';

  interface Props {
    preview: Preview;
    /** It is being counted anew. */
    stale: boolean;
    /** What stands below the four figures: the act itself. */
    children: Snippet;
  }
  let { preview, stale, children }: Props = $props();
  const CHANNEL = { email: 'email', sms: 'text' } as const;
  const labels = $derived([
    ...preview.tags.map((t) => ({ ...t, what: 'tag' })),
    ...preview.lists.map((l) => ({ ...l, what: 'list' }))
  ]);
  const SHOWN = 6;
</script>

<div class:stale aria-busy={stale}>
  <Figures
    testid="outlook"
    figures={[
      { name: 'new', n: preview.made },
      { name: 'changed', n: preview.changed },
      { name: 'unchanged', n: preview.unchanged },
      { name: 'refused', n: preview.refused, bad: preview.refused > 0, testid: 'refused' }
    ]}
  />
  {@render children()}
  {#if preview.fields.length}
    <h3>Of those who are known</h3>
    <table class="figures">
      <thead><tr><th>Field</th><th class="number">gets a value</th><th class="number">is replaced</th></tr></thead>
      <tbody>
        {#each preview.fields as f (f.name)}
          <tr
            ><td>{f.name}</td><td class="number">{number(f.filled)}</td><td class="number">{number(f.replaced)}</td></tr
          >
        {/each}
      </tbody>
    </table>
  {/if}
  {#if labels.length || preview.consent.length || preview.keptWithdrawn}
    <h3>What comes on</h3>
    <ul>
      {#each labels.slice(0, SHOWN) as l (`${l.what} ${l.name}`)}
        <li>{l.what} <strong>{l.name}</strong> on {plural(l.people, 'person', 'people')}</li>
      {/each}
      {#if labels.length > SHOWN}<li class="soft">and {labels.length - SHOWN} more tags and lists</li>{/if}
      {#each preview.consent as c (`${c.channel} ${c.state}`)}
        <li>consent for {CHANNEL[c.channel]} <strong>{c.state}</strong> for {plural(c.people, 'person', 'people')}</li>
      {/each}
      {#if preview.keptWithdrawn}
        <li>
          {plural(preview.keptWithdrawn, 'consent stays', 'consents stay')} <strong>withdrawn</strong>, whatever the
          file says
        </li>
      {/if}
    </ul>
  {/if}
  {#if preview.journeys.length || preview.inside}
    <h3>Journeys that hear of it</h3>
    <ul>
      {#each preview.journeys as j (`${j.key} ${j.by}`)}
        <li>
          <a href="/journeys/{j.key}">{j.name}</a>: up to {plural(j.people, 'person enters', 'people enter')}, by {j.by}
        </li>
      {/each}
      {#if preview.inside}
        <li>{plural(preview.inside, 'of those who change is', 'of those who change are')} in a journey now</li>
      {/if}
    </ul>
  {/if}
  {#if preview.refusedBy.length}
    <h3>Why rows are refused</h3>
    <table class="figures" aria-label="Why rows are refused">
      <tbody>
        {#each preview.refusedBy as r (`${r.column} ${r.reason}`)}
          <tr>
            <td class="number">{number(r.rows)}</td>
            <td
              >{r.column === null ? '' : `${r.column}: `}{r.reason}
              <span class="soft">(line {r.line}{r.found ? `: “${r.found}”` : ''})</span></td
            >
          </tr>
        {/each}
      </tbody>
    </table>
    <p class="soft">They come back as a file that says why, to mend and import again.</p>
  {/if}
</div>

<style>
  .stale {
    opacity: 0.5;
  }
  h3 {
    margin: 10px 0 3px;
    font-size: 13px;
    font-weight: 650;
  }
  table {
    width: 100%;
  }
  ul {
    margin: 0;
    padding: 0;
    font-size: 13.5px;
    list-style: none;
  }
  li {
    padding: 2px 0;
  }
  td {
    overflow-wrap: anywhere;
  }
</style>
