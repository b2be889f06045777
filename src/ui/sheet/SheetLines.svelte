<!-- The ink of the sheet: lanes, brackets down to them, rejoins, and the rule of each moment. -->
<script lang="ts">
  import { CARD_HEIGHT, ROW_HEIGHT, type SheetLayout } from '$core/sheet/layout.ts';
  import { kindOf } from '$core/steps/index.ts';
  import type { SheetFigures } from '$server/results/sheet-figures.ts';
  import { lineWeight } from './figures.ts';

  let { layout, figures }: { layout: SheetLayout; figures: SheetFigures | null } = $props();

  /** From a loop back to the step it leads to, below its own card and left of the other. */
  const loops = $derived(
    layout.cards.flatMap(({ step, x, y }) => {
      const back = kindOf(step).backTo?.(step);
      const to = back === undefined ? undefined : layout.cards.find((c) => c.step.key === back);
      if (!to) return [];
      const below = y + CARD_HEIGHT / 2 + 4;
      return [
        {
          key: step.key,
          d: `M ${x + 24} ${y + CARD_HEIGHT / 2} V ${below} H ${to.x - 7} V ${to.y} H ${to.x}`,
          x: x - 6,
          y: below - 3,
          words: step.kind === 'loop' && step.atMost !== undefined ? `back, at most ${step.atMost}×` : 'back'
        }
      ];
    })
  );
</script>

<svg class="ink" width={layout.width} height="100%" aria-hidden="true">
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
  {#each loops as l (l.key)}
    <path class="loop" d={l.d} />
    <text x={l.x} y={l.y} text-anchor="end">{l.words}</text>
  {/each}
  {#each layout.joins as j (j.key)}<path
      class="join"
      d="M {j.x} {j.y2} V {j.y + 5} Q {j.x} {j.y} {j.x + 5} {j.y}"
    />{/each}
  <line class="end" x1={layout.end.x} x2={layout.end.x} y1={layout.end.y - 12} y2={layout.end.y + 12} />
</svg>

<style>
  .loop {
    fill: none;
    stroke: var(--ink-soft);
    stroke-dasharray: 5 4;
  }
  text {
    fill: var(--ink-soft);
    font-size: 12px;
    paint-order: stroke;
    stroke: var(--ground);
    stroke-width: 4px;
  }
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
