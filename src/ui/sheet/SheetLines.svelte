<!-- The ink of the sheet: lanes, brackets down to them, rejoins, and the rule of each moment. -->
<script lang="ts">
  import { ROW_HEIGHT, type SheetLayout } from '$core/sheet/layout.ts';
  import type { SheetFigures } from '$server/results/sheet-figures.ts';
  import { lineWeight } from './figures.ts';

  let { layout, figures }: { layout: SheetLayout; figures: SheetFigures | null } = $props();
</script>

<svg width={layout.width} height="100%" aria-hidden="true">
  {#each layout.moments as m (`${m.min}/${m.max}`)}<line
      class="grid"
      x1={m.x + m.width}
      x2={m.x + m.width}
      y1="0"
      y2="100%"
    />{/each}
  {#each layout.rows as row (row.id)}<line
      class="grid"
      x1="0"
      x2={layout.width}
      y1={row.y + ROW_HEIGHT / 2}
      y2={row.y + ROW_HEIGHT / 2}
    />{/each}
  {#each layout.joins as j (j.key)}<line class="aside" x1={j.fromX} x2={j.x} y1={j.y} y2={j.y} />{/each}
  {#each layout.brackets as b (b.key)}<line class="bracket" x1={b.x} x2={b.x} y1={b.y1} y2={b.y2} />{/each}
  {#each layout.gaps as gap (`${gap.lane.join('.')}/${gap.index}`)}
    <line
      class="walk"
      x1={gap.x1}
      x2={gap.x2}
      y1={gap.y}
      y2={gap.y}
      style="stroke-width: {lineWeight(figures, layout, gap)}px"
    />
  {/each}
  {#each layout.joins as j (j.key)}<path
      class="join"
      d="M {j.x} {j.y2} V {j.y + 5} Q {j.x} {j.y} {j.x + 5} {j.y}"
    />{/each}
  <line class="end" x1={layout.end.x} x2={layout.end.x} y1={layout.end.y - 12} y2={layout.end.y + 12} />
</svg>

<style>
  svg {
    position: absolute;
    inset: 0;
  }
  .grid {
    stroke: var(--rule-faint);
  }
  .walk {
    stroke: var(--ink);
  }
  .bracket {
    stroke: var(--ink-soft);
    stroke-width: 1.5;
  }
  .aside {
    stroke: var(--rule-strong);
    stroke-width: 1.5;
    stroke-dasharray: 1 5;
  }
  .join {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .end {
    stroke: var(--ink);
    stroke-width: 3;
  }
</style>
