/** What the Watch view writes on cards, lanes and lines. */
import type { Gap, LaneRow, SheetLayout } from '$core/sheet/layout.ts';
import type { StepFigures } from '$core/steps/base.ts';
import { kindOf, type Step } from '$core/steps/index.ts';
import type { SheetFigures } from '$server/results/sheet-figures.ts';

const NOTHING: StepFigures = { done: 0, standing: 0, opened: 0, clicked: 0, replied: 0, retrying: 0, lanes: {} };

/** The one figure of a card: "1 204 sent, 51 % open". */
export const cardFigure = (figures: SheetFigures, step: Step): string =>
  kindOf(step).figure(figures.steps[step.key] ?? NOTHING);

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
