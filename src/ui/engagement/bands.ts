/** Points of many people as a few bands of equal width. Pure. */
import type { Standing } from '$server/engagement/preview.ts';

export interface Band {
  name: string;
  today: number;
  then: number;
}

/** At most about so many bands. */
const MOST = 10;

/** Bands over the points that anybody has or would have; nobody's points are a band of their own. */
export function bandsOf(today: Standing, then: Standing): Band[] {
  const points = [...new Set([...Object.keys(today), ...Object.keys(then)].map(Number))].filter((p) => p !== 0);
  const none: Band = { name: '0', today: today['0'] ?? 0, then: then['0'] ?? 0 };
  if (!points.length) return [none];
  const [low, high] = [Math.min(...points), Math.max(...points)];
  const width = niceWidth((high - Math.min(low, 0)) / MOST);
  const bands = new Map<number, Band>();
  for (const p of points) {
    // A band above 0 begins with 1, one below ends with -1: 0 is a band by itself.
    const at = p > 0 ? Math.ceil(p / width) : Math.floor(p / width);
    const [from, to] = at > 0 ? [(at - 1) * width + 1, at * width] : [at * width, (at + 1) * width - 1];
    const band = bands.get(at) ?? { name: from === to ? String(from) : `${from} to ${to}`, today: 0, then: 0 };
    band.today += today[String(p)] ?? 0;
    band.then += then[String(p)] ?? 0;
    bands.set(at, band);
  }
  const sorted = [...bands].sort(([a], [b]) => a - b);
  return [
    ...sorted.filter(([at]) => at < 0).map(([, band]) => band),
    none,
    ...sorted.filter(([at]) => at > 0).map(([, band]) => band)
  ];
}

/** The next of 1, 2, 5, 10, … that is no less. */
function niceWidth(width: number): number {
  const power = 10 ** Math.floor(Math.log10(Math.max(1, width)));
  return ([1, 2, 5, 10].find((n) => n * power >= width) ?? 10) * power;
}
