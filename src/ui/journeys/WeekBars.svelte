<script lang="ts">
  let { weeks, max }: { weeks: number[]; max: number } = $props();
  const HEIGHT = 22;
  const height = (n: number): number => (n ? Math.max(1.5, (n / max) * HEIGHT) : 0);
</script>

<svg width={weeks.length * 7} height={HEIGHT} role="img" aria-label="Entries by week, oldest first: {weeks.join(', ')}">
  {#each weeks as n, i (i)}<rect x={i * 7} y={HEIGHT - height(n)} width="5" height={height(n)} />{/each}
</svg>

<style>
  rect {
    fill: var(--action-light);
  }
</style>
