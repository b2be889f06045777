/** How points fall while nothing is added: for the curve of a model. */
import type { Settings } from '../settings/schema.ts';
import { parseDuration, rulerLength, DAY } from '../time/duration.ts';

type Decay = NonNullable<NonNullable<Settings['scores']>[number]['decay']>;

/** Points from `begin` on, by days: a point at each fall, until nothing is left or `most` falls. Months count as on the ruler. */
export function decayCurve(
  begin: number,
  { by, every }: Decay,
  floor: number,
  most = 24
): { day: number; points: number }[] {
  const length = parseDuration(every);
  if (!length) return [];
  const step = rulerLength(length) / DAY;
  const curve = [{ day: 0, points: begin }];
  let points = begin;
  for (let n = 1; n <= most; n++) {
    const next = Math.max(floor, by === 'half' ? Math.trunc(points / 2) : Math.max(0, points - by));
    if (next === points) break;
    points = next;
    curve.push({ day: n * step, points });
  }
  return curve;
}
