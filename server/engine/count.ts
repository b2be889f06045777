/**
 * Counting as things happen. A batch adds up what it did and writes it in its own
 * transaction; pages read the sums. Rows are parted by slots, one a process, so
 * that workers who count the same do not wait for each other.
 */
import { dateText, wallDay } from '../../core/time/civil.ts';
import type { TrailLine } from '../../core/person/world.ts';
import { DONE_LINES } from '../../core/steps/index.ts';
import { MINUTE } from '../../core/time/duration.ts';
import type { Walk } from '../../core/walk/walk.ts';
import { columns } from '../db/columns.ts';
import { ts, type Db } from '../db/pool.ts';

/** Stands for all days together, and for what is so now. */
export const ALL_DAYS = '0001-01-01';
const SLOTS = 8;
const SLOT = process.pid % SLOTS;
export const QUARTER = 15 * MINUTE;

interface Counter {
  journey: number;
  day: string;
  version: number;
  step: string;
  what: string;
  lane: string;
  n: number;
}

/** What of a walk is counted while it is so: before and after a piece of work. */
export interface Counted {
  version: number;
  walking: boolean;
  /** The step it stands on. */
  step: string | null;
  held: boolean;
  goal: boolean;
}

export const countedOf = (walk: Walk, step: string | null): Counted => ({
  version: walk.version,
  walking: walk.state === 'walking',
  step: walk.standing ? step : null,
  held: walk.standing?.kind === 'held',
  goal: walk.goalReached
});

/** Trail lines that are counted, each with what it is counted under beside its step. */
const LINES: Record<string, (detail: Record<string, unknown>) => string> = {
  entered: () => '',
  ...Object.fromEntries([...DONE_LINES].map((what) => [what, () => ''])),
  took: (d) => String(d['lane']),
  skipped: (d) => String(d['reason'] ?? ''),
  left: (d) => [d['as'], d['reason']].filter((part) => part !== undefined).join(' ')
};

export type LabelKind = 'tag' | 'list' | 'segment';

export class Counts {
  private readonly counters = new Map<string, Counter>();
  private readonly flows = new Map<string, { quarter: string; what: string; n: number }>();

  private readonly labels = new Map<
    string,
    { kind: LabelKind; name: string; day: string; came: number; went: number }
  >();

  /** `zone`: the workspace's, in which days are counted. */
  constructor(private readonly zone: string) {}

  private add(
    journey: number,
    day: string,
    version: number,
    step: string,
    what: string,
    lane: string,
    n: number
  ): void {
    const key = [journey, day, version, step, what, lane].join('\n');
    const known = this.counters.get(key);
    if (known) known.n += n;
    else this.counters.set(key, { journey, day, version, step, what, lane, n });
  }

  /** Counts something on its day, and among all days. */
  happened(journey: number, version: number, at: number, step: string, what: string, lane = '', n = 1): void {
    this.add(journey, dateText(wallDay(this.zone, at)), version, step, what, lane, n);
    this.add(journey, ALL_DAYS, version, step, what, lane, n);
  }

  line(journey: number, version: number, { at, step, what, detail }: TrailLine): void {
    const lane = Object.hasOwn(LINES, what) ? LINES[what]?.(detail) : undefined;
    if (lane !== undefined) this.happened(journey, version, at, what === 'left' ? '' : (step ?? ''), what, lane);
  }

  /** Counts how a walk stands, against how it stood; `before` is `null` for one that has just begun. */
  walk(journey: number, before: Counted | null, after: Counted, enteredAt: number): void {
    const now = (c: Counted, n: number): void => {
      if (c.walking) this.add(journey, ALL_DAYS, c.version, '', 'walking', '', n);
      if (c.walking && c.step !== null) this.add(journey, ALL_DAYS, c.version, c.step, 'standing', '', n);
      if (c.walking && c.step !== null && c.held) this.add(journey, ALL_DAYS, c.version, c.step, 'held', '', n);
    };
    if (before) now(before, -1);
    now(after, 1);
    // A goal counts for the day on which its walk entered: shares are of those who came together.
    if (after.goal && !before?.goal) this.happened(journey, after.version, enteredAt, '', 'goal');
  }

  /** Counts something of the workspace as a whole. */
  flow(at: number, what: string, n = 1): void {
    this.flowIn(ts(Math.floor(at / QUARTER) * QUARTER) ?? '', what, n);
  }

  /** Counts, day by day, who gets a label and who loses it. */
  label(at: number, kind: LabelKind, name: string, on: boolean, n = 1): void {
    const day = dateText(wallDay(this.zone, at));
    const key = [kind, name, day].join('\n');
    const known = this.labels.get(key) ?? { kind, name, day, came: 0, went: 0 };
    known[on ? 'came' : 'went'] += n;
    this.labels.set(key, known);
  }

  /** Counts something of the workspace that is so now. */
  flowNow(what: string, n: number): void {
    if (n) this.flowIn('-infinity', what, n);
  }

  private flowIn(quarter: string, what: string, n: number): void {
    const key = `${quarter}\n${what}`;
    const known = this.flows.get(key);
    if (known) known.n += n;
    else this.flows.set(key, { quarter, what, n });
  }

  /** Writes all that was counted. In one order, so that two who write never wait for each other in a circle. */
  async save(db: Db): Promise<void> {
    const counters = [...this.counters].sort(byKey).flatMap(([, c]) => (c.n ? [{ ...c, slot: SLOT }] : []));
    if (counters.length) {
      await db.query({
        name: 'save-counters',
        text: `
          insert into counters as c (journey_id, day, version, step, what, lane, slot, n)
          select * from unnest($1::bigint[], $2::date[], $3::integer[], $4::text[], $5::text[], $6::text[], $7::smallint[],
            $8::bigint[])
          on conflict (journey_id, day, version, step, what, lane, slot) do update set n = c.n + excluded.n`,
        values: columns(counters, ['journey', 'day', 'version', 'step', 'what', 'lane', 'slot', 'n'])
      });
    }
    const labels = [...this.labels].sort(byKey).map(([, l]) => ({ ...l, slot: SLOT }));
    if (labels.length) {
      await db.query({
        name: 'save-label-days',
        text: `
          insert into label_days as l (kind, name, day, slot, came, went)
          select * from unnest($1::text[], $2::text[], $3::date[], $4::smallint[], $5::bigint[], $6::bigint[])
          on conflict (kind, name, day, slot) do update set came = l.came + excluded.came, went = l.went + excluded.went`,
        values: columns(labels, ['kind', 'name', 'day', 'slot', 'came', 'went'])
      });
    }
    const flows = [...this.flows].sort(byKey).flatMap(([, f]) => (f.n ? [{ ...f, slot: SLOT }] : []));
    if (flows.length) {
      await db.query({
        name: 'save-flow',
        text: `
          insert into flow as f (quarter, what, slot, n)
          select * from unnest($1::timestamptz[], $2::text[], $3::smallint[], $4::bigint[])
          on conflict (quarter, what, slot) do update set n = f.n + excluded.n`,
        values: columns(flows, ['quarter', 'what', 'slot', 'n'])
      });
    }
  }
}

const byKey = ([a]: [string, unknown], [b]: [string, unknown]): number => (a < b ? -1 : a > b ? 1 : 0);
