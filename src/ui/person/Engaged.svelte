<!-- A person's points, one by one, and their rungs with when these pass. -->
<script lang="ts">
  import { number } from '$core/tell/words.ts';
  import type { Engaged } from '$server/people/points.ts';
  import { useFormat } from '$ui/format.ts';

  let { engaged }: { engaged: Engaged } = $props();
  const format = useFormat();
  let open = $state<string | null>(null);
  const words = (what: string): string =>
    what === 'decay' ? 'fell, as nothing was added' : what === 'step' ? 'a step of a journey' : what.replace(/_/g, ' ');
</script>

{#each engaged.rungs as r (r.ladder)}
  <p>
    <span class="soft">{r.ladder}</span> <strong>{r.rung}</strong>
    <small>last {format.dateTime(r.last)}{r.until === null ? '' : ` · passes ${format.dateTime(r.until)}`}</small>
  </p>
{/each}
{#each engaged.scores.filter((s) => s.points !== 0 || s.lines.length) as s (s.name)}
  <p>
    <button
      class="act"
      aria-expanded={open === s.name}
      aria-label="{s.name}: {s.points}. See how it came to be"
      onclick={() => (open = open === s.name ? null : s.name)}>{s.name}</button
    >
    <strong>{number(s.points)}</strong>
  </p>
  {#if open === s.name}
    <table>
      <tbody>
        {#each s.lines as l, i (i)}
          <tr>
            <td><small>{format.dateTime(l.at)}</small></td>
            <td>{words(l.what)}</td>
            <td class="number">{l.by > 0 ? '+' : ''}{number(l.by)}</td>
            <td class="number soft">{number(l.points)}</td>
          </tr>
        {:else}<tr><td class="soft">Nothing of it is on record.</td></tr>{/each}
      </tbody>
    </table>
    {#if s.more}<p class="soft">The latest of more.</p>{/if}
  {/if}
{:else}
  {#if !engaged.rungs.length}<p class="soft">No points yet</p>{/if}
{/each}

<style>
  p {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: baseline;
  }
  table {
    width: 100%;
    font-size: 13px;
  }
  small {
    color: var(--ink-soft);
    font-size: 12px;
  }
  .number {
    padding-left: 8px;
    text-align: right;
  }
</style>
