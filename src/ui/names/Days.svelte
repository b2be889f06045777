<!-- Who came and who went on each of the last days: bars up and down, the latest at the right. -->
<script lang="ts">
  import { number } from '$core/tell/words.ts';

  let { came, went }: { came: number[]; went: number[] } = $props();
  const most = $derived(Math.max(1, ...came, ...went));
  const sum = (of: number[]): number => of.reduce((a, b) => a + b, 0);
  const HALF = 9;
  const height = (n: number): number => (n === 0 ? 0 : Math.max(1, (n / most) * HALF));
  const words = $derived(`${number(sum(came))} came, ${number(sum(went))} went in 30 days`);
</script>

<svg viewBox="0 0 {came.length * 4} {HALF * 2}" role="img" aria-label={words}>
  <title>{words}</title>
  <line x1="0" x2={came.length * 4} y1={HALF} y2={HALF} />
  {#each came as n, i (i)}
    {#if n}<rect class="came" x={i * 4} width="3" y={HALF - height(n)} height={height(n)} />{/if}
    {#if went[i]}<rect class="went" x={i * 4} width="3" y={HALF} height={height(went[i])} />{/if}
  {/each}
</svg>

<style>
  svg {
    width: 120px;
    height: 18px;
    vertical-align: middle;
  }
  line {
    stroke: var(--rule);
  }
  .came {
    fill: var(--action);
  }
  .went {
    fill: var(--attention-line);
  }
</style>
