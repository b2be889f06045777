/**
 * Dragging a card along the ruler: where it is let go says how long the wait
 * before it becomes. A card snaps to the moments that are there; beyond the
 * last one, every {@link DAY_WIDTH} px is a day more.
 */
import { type Card, type Gap, type SheetLayout } from '../sheet/layout.ts';
import { anchoredWords, type Anchor } from '../sheet/anchor.ts';
import { momentWords } from '../tell/words.ts';
import { DAY, durationText } from '../time/duration.ts';

const DAY_WIDTH = 40;

export interface Drop {
  gap: Gap;
  /** ISO duration of the wait before the card; `null`: none. */
  for: string | null;
  /** The moment it comes to stand at, in words: "Day 5". */
  moment: string;
}

/** What letting a card go `dx` px from its place would do; `null` where nothing stands before it to wait in. */
export function dropOf(layout: SheetLayout, card: Card, dx: number, anchor: Anchor | null = null): Drop | null {
  const gap = layout.gaps.find((g) => g.row === card.row && g.index === card.index);
  if (!gap) return null;
  const x = card.x + dx;
  const last = layout.moments.at(-1);
  const under = layout.moments.find((m) => x >= m.x && x < m.x + m.width);
  const beyond = last && x >= last.x + last.width ? Math.ceil((x - last.x - last.width + 1) / DAY_WIDTH) * DAY : 0;
  // Left of the ruler is its beginning; a card never comes before the steps it follows.
  const target = Math.max(under ? under.max : beyond && last ? last.max + beyond : 0, gap.before.max);
  return {
    gap,
    for: durationText(target - gap.before.max),
    moment: anchor ? anchoredWords({ min: target, max: target }, anchor) : momentWords(target, target)
  };
}

/** The gap of a lane that is nearest to `x`; `null` where there is no such lane. */
export function nearestGap(layout: SheetLayout, row: number, x: number): Gap | null {
  const gaps = layout.gaps.filter((g) => g.row === row);
  const far = (g: Gap): number => Math.abs((g.x1 + g.x2) / 2 - x);
  return gaps.sort((a, b) => far(a) - far(b))[0] ?? null;
}
