<!-- A few large numbers in a row, each with what it counts. -->
<script lang="ts">
  import { number } from '$core/tell/words.ts';

  interface Props {
    figures: { name: string; n: number; bad?: boolean; testid?: string }[];
    testid?: string;
  }
  let { figures, testid }: Props = $props();
</script>

<dl data-testid={testid}>
  {#each figures as f (f.name)}
    <div class:bad={f.bad}>
      <dt>{f.name}</dt>
      <dd data-testid={f.testid}>{number(f.n)}</dd>
    </div>
  {/each}
</dl>

<style>
  dl {
    display: grid;
    grid-auto-columns: 1fr;
    grid-auto-flow: column;
    margin: 6px 0;
    border: 1px solid var(--rule);
  }
  div {
    padding: 6px 10px;
  }
  div + div {
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
  .bad dd {
    color: var(--failure);
  }
</style>
