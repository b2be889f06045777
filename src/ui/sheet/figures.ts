/** What the Watch view writes on cards, lanes and lines. */
import type { Gap, LaneRow, SheetLayout } from '$core/sheet/layout.ts';
import type { Step } from '$core/steps/index.ts';
import type { SheetFigures } from '$server/results/sheet-figures.ts';
import { number, percent } from '$ui/format.ts';

/** The one figure of a card: "1 204 sent, 51 % open". */
export function cardFigure(figures: SheetFigures, step: Step): string {
  const f = figures.steps[step.key];
  switch (step.kind) {
    case 'email':
      if (f?.retrying) return `${number(f.retrying)} tried again`;
      return `${number(f?.done ?? 0)} sent${f?.done ? `, ${percent(f.opened / f.done, 0)} open` : ''}`;
    case 'sms':
      if (f?.retrying) return `${number(f.retrying)} tried again`;
      return `${number(f?.done ?? 0)} sent${f?.replied ? `, ${number(f.replied)} replied` : ''}`;
    case 'tag':
      return `${number(f?.done ?? 0)} tagged`;
    case 'score':
      return `${number(f?.done ?? 0)} scored`;
    case 'branch':
      return `${number(Object.values(f?.lanes ?? {}).reduce((a, b) => a + b, 0))} decided`;
    case 'wait':
      return `${number(f?.standing ?? 0)} wait`;
    default:
      return `${number(f?.done ?? 0)} done`;
  }
}

/** How many people have been on a lane. */
export function laneCount(figures: SheetFigures, row: LaneRow): number {
  if (row.openedBy === null) return figures.entered;
  return figures.steps[row.openedBy]?.lanes[row.label] ?? 0;
}

/** Line width in px: in Plan one for all, in Watch by share of those who entered. */
export function lineWeight(figures: SheetFigures | null, layout: SheetLayout, gap: Gap): number {
  const row = layout.rows[gap.row];
  if (!figures || !row || !figures.entered) return 1.5;
  return 1 + 6 * (laneCount(figures, row) / figures.entered);
}
