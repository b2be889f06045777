/**
 * What a branch looks at, and what becomes of its lanes when that changes: cut points that move, values that are shared out
 * anew, another way of looking altogether. Pure: a branch gives a branch. Steps on a lane stay with it as long as there is a
 * lane for them; what then has no place is counted by {@link stepsLost}, so that whoever edits hears of it first.
 */
import type { BranchStep } from '../steps/branch.ts';
import { bandWords } from '../steps/branch.ts';
import { eachStep } from '../journey/walk-document.ts';
import type { Step } from '../steps/index.ts';
import { lanesOf } from '../steps/index.ts';
import type { FieldValue } from '../person/values.ts';

export type Bands = Extract<BranchStep, { by: 'bands' }>;
export type Values = Extract<BranchStep, { by: 'values' }>;
type Scalar = Exclude<FieldValue, string[]>;
interface Lane {
  label: string;
  lane: Step[];
}

/** Numbers as they are typed, `50, 200`: in their order, each once; `null` where something is no number. */
export function readCuts(text: string): number[] | null {
  const parts = text
    .split(/[,;\s]+/)
    .map((p) => p.trim())
    .filter(Boolean);
  const cuts = parts.map(Number);
  if (!cuts.length || cuts.some((c) => !Number.isFinite(c))) return null;
  return [...new Set(cuts)].sort((a, b) => a - b);
}

const edges = (cuts: readonly number[], i: number): [number, number] => [cuts[i - 1] ?? -Infinity, cuts[i] ?? Infinity];

/**
 * The lanes that cut points give, each with what stood on the lane of the band it shares most with. Where as many cuts stand
 * there as before they have moved, and every lane stays in its place.
 */
export function withCuts(step: Bands, cuts: number[]): Bands {
  const places = Array.from({ length: cuts.length + 1 }, (_, i) => i);
  const old = (place: number): Lane | undefined => step.lanes[place] as Lane | undefined;
  const taken = new Set<number>();
  const from = places.map((i): number | null => {
    if (cuts.length === step.cuts.length) return i;
    const [low, high] = edges(cuts, i);
    const sharing = step.lanes.flatMap((_, place) => {
      const [from, to] = edges(step.cuts, place);
      const same = (low === from ? 1 : 0) + (high === to ? 1 : 0);
      return !taken.has(place) && low < to && from < high ? [{ place, same }] : [];
    });
    const best = sharing.sort((a, b) => b.same - a.same)[0];
    if (!best) return null;
    taken.add(best.place);
    return best.place;
  });
  const lanes = from.map((place, i): Lane => {
    const was = place === null ? undefined : old(place);
    // A label that says the band says the new one; one that somebody wrote stays.
    const own = was && place !== null && was.label !== bandWords(step.cuts, place);
    return { label: own ? was.label : bandWords(cuts, i), lane: was?.lane ?? [] };
  });
  return { ...step, cuts, lanes: unlike(lanes, [step.none?.label]) } as Bands;
}

/** Lanes of one label would be one in every report. */
function unlike(lanes: Lane[], others: (string | undefined)[]): Lane[] {
  const used = new Set(others);
  return lanes.map((lane) => {
    let label = lane.label;
    for (let n = 2; used.has(label); n++) label = `${lane.label} ${n}`;
    used.add(label);
    return label === lane.label ? lane : { ...lane, label };
  });
}

/** What bands are cut from. Those who have no value of a field have a lane of their own; everyone has spent, and has points. */
export function withMeasure(step: Bands, of: Bands['of']): Bands {
  const { none, ...rest } = step;
  if (!('field' in of)) return { ...rest, of } as Bands;
  return { ...rest, of, none: none ?? { label: 'no value', lane: [] } } as Bands;
}

/** One lane for each of the values, those that stood there already with their steps; all else takes the last lane. */
export function withValues(step: Values, values: readonly Scalar[]): Values {
  const had = (value: Scalar): Lane | undefined =>
    step.lanes.find((lane) => lane.values.includes(value)) as Lane | undefined;
  const lanes = values.map((value) => {
    const was = had(value);
    const shared = was && step.lanes.find((l) => l.values.includes(value))?.values.length !== 1;
    return { label: was && !shared ? was.label : String(value), values: [value], lane: was?.lane ?? [] };
  });
  const seen = new Set<Lane['lane']>();
  // A lane of several values gives its steps to the first of them.
  const given = lanes.map((l) => {
    const lane = l.lane.length && seen.has(l.lane) ? [] : l.lane;
    seen.add(l.lane);
    return { ...l, lane };
  });
  return { ...step, lanes: unlike(given, [step.otherwise.label]) } as Values;
}

/** The same branch looking another way: lanes keep their steps by their place, the last one those of the last. */
export function lookingBy(step: BranchStep, by: BranchStep['by'], field: string | undefined): BranchStep {
  if (step.by === by) return step;
  const common = (({ key, kind, name, aim, note }) => ({
    key,
    kind,
    ...(name === undefined ? {} : { name }),
    ...(aim === undefined ? {} : { aim }),
    ...(note === undefined ? {} : { note })
  }))(step);
  const all = lanesOf(step) as { label: string; steps: Step[] }[];
  const lanes = all.slice(0, Math.max(1, all.length - 1)).map(({ steps }) => steps);
  const last = all.length > 1 ? (all.at(-1)?.steps ?? []) : [];
  const otherwise = { label: 'everyone else', lane: last };
  const made = ((): object => {
    if (by === 'rules')
      return {
        lanes: lanes.map((lane, i) => ({ label: i ? `lane ${i + 1}` : 'has the tag', when: { tag: '' }, lane })),
        otherwise
      };
    if (by === 'values')
      return {
        of: { field: field ?? 'language' },
        lanes: lanes.map((lane, i) => ({ label: i ? `lane ${i + 1}` : '…', values: [i ? `lane ${i + 1}` : ''], lane })),
        otherwise
      };
    // As many cuts as make room for all of them.
    const cuts = Array.from({ length: Math.max(1, all.length - 1) }, (_, i) => (i + 1) * 50);
    const held = [...lanes, last];
    return {
      of: { spent: true },
      cuts,
      lanes: Array.from({ length: cuts.length + 1 }, (_, i) => ({ label: bandWords(cuts, i), lane: held[i] ?? [] }))
    };
  })();
  return { ...common, by, ...made } as BranchStep;
}

/** How many steps a branch holds that its new form does not. */
export function stepsLost(before: BranchStep, after: BranchStep): number {
  const kept = new Set(eachStep({ lane: [after as Step] }).map((s) => s.step.key));
  return eachStep({ lane: [before as Step] }).filter((s) => !kept.has(s.step.key)).length;
}
