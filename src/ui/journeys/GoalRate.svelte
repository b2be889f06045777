<script lang="ts">
  import type { Interval } from '$core/statistics/interval.ts';
  import { percent } from '$core/tell/words.ts';

  let { rate, interval, max }: { rate: number; interval: Interval; max: number } = $props();
  const WIDTH = 100;
  const x = (share: number): number => (share / max) * WIDTH;
</script>

<span class="rate" title="90 % interval: {percent(interval.low)} to {percent(interval.high)}">
  <span class="figure">{percent(rate)}</span>
  <svg width={WIDTH} height="14" aria-hidden="true">
    <line x1="0" x2={WIDTH} y1="7" y2="7" class="scale" />
    <line x1={x(interval.low)} x2={x(interval.high)} y1="7" y2="7" class="interval" />
    <line x1={x(rate)} x2={x(rate)} y1="2" y2="12" class="mark" />
  </svg>
  <span class="visually-hidden">between {percent(interval.low)} and {percent(interval.high)}</span>
</span>

<style>
  .rate {
    display: inline-flex;
    gap: 10px;
    align-items: center;
  }
  .figure {
    width: 48px;
    text-align: right;
  }
  .scale {
    stroke: var(--rule);
    stroke-width: 1.5;
  }
  .interval {
    stroke: var(--action);
    stroke-width: 3;
  }
  .mark {
    stroke: var(--action);
    stroke-width: 2;
  }
</style>
