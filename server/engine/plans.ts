/** The plans that workers follow: live versions for entering, all versions for walks under way. */
import { isDeepStrictEqual } from 'node:util';
import { compile, type JourneyInstruction, type JourneyPlan } from '../../core/journey/compile.ts';
import { renamed, type Renamed } from '../../core/journey/names.ts';
import type { Journey } from '../../core/journey/schema.ts';
import type { Winner } from '../../core/steps/winner.ts';
import type { Walk } from '../../core/walk/walk.ts';
import type { Db } from '../db/pool.ts';
import { SettingsBook } from '../workspace/settings.ts';

export interface LivePlan {
  journeyId: number;
  plan: JourneyPlan;
  /** Dates and timetables let people in from here on, UTC ms. */
  since: number;
}

/** A split with a winner: its instruction, and what it is won by. */
export interface WinnerSplit {
  journeyId: number;
  plan: JourneyPlan;
  here: JourneyInstruction;
  winner: Winner;
}

/** A version that cannot be followed: those who walk on it are set aside, and nobody enters. */
export class BrokenVersion extends Error {}

/**
 * Versions never change once made, so a compiled one is kept for good. One that cannot be compiled is kept as its
 * error, which only those meet who walk on it.
 */
export class PlanBook {
  readonly settings = new SettingsBook();
  private readonly byVersion = new Map<string, JourneyPlan | BrokenVersion>();
  private readonly keys = new Map<number, string>();
  private readonly ids = new Map<string, number>();
  /** What was called otherwise when a version was made, or something happened. */
  names: Renamed = {};

  /** Live journeys that take people in, in their order. */
  live(db: Db): Promise<LivePlan[]> {
    return this.inState(db, 'live');
  }

  private async inState(db: Db, state: 'live' | 'paused'): Promise<LivePlan[]> {
    const { rows } = await db.query<{ id: number; key: string; live_version: number; open_since: number | null }>({
      name: 'journeys-in-state',
      text: `select id, key, live_version, open_since from journeys where state = $1 and live_version is not null order by id`,
      values: [state]
    });
    for (const r of rows) this.learn(r.id, r.key);
    await this.learnNames(db);
    await this.ensure(
      db,
      rows.map((r) => ({ journey_id: r.id, version: r.live_version }))
    );
    return rows.flatMap((r) => {
      const plan = this.byVersion.get(`${r.id}/${r.live_version}`);
      return plan && !(plan instanceof Error) ? [{ journeyId: r.id, plan, since: r.open_since ?? -Infinity }] : [];
    });
  }

  /** Journeys that are paused, by key, with what would let people in. */
  async paused(db: Db): Promise<ReadonlyMap<string, JourneyPlan>> {
    return new Map((await this.inState(db, 'paused')).map(({ plan }) => [plan.key, plan]));
  }

  /** Loads the versions that are not known yet. */
  async ensure(db: Db, wanted: { journey_id: number; version: number }[]): Promise<void> {
    const missing = wanted.filter((w) => !this.byVersion.has(`${w.journey_id}/${w.version}`));
    if (!missing.length) return;
    const { rows } = await db.query<{ journey_id: number; number: number; key: string; document: Journey }>(
      `select v.journey_id, v.number, j.key, v.document
       from unnest($1::bigint[], $2::integer[]) as w (journey_id, version)
       join versions v on v.journey_id = w.journey_id and v.number = w.version
       join journeys j on j.id = v.journey_id`,
      [missing.map((m) => m.journey_id), missing.map((m) => m.version)]
    );
    for (const r of rows) {
      this.learn(r.journey_id, r.key);
      this.byVersion.set(`${r.journey_id}/${r.number}`, compiled(r.key, r.number, renamed(r.document, this.names)));
    }
  }

  /** Versions say what things were called when they were made: they are compiled by present names, anew when one changes. */
  private async learnNames(db: Db): Promise<void> {
    const { names } = (await this.settings.read(db)).workspace;
    if (names === this.names) return;
    if (!isDeepStrictEqual(names, this.names)) this.byVersion.clear();
    this.names = names;
  }

  /** Learns the keys of journeys that are not known yet. */
  async name(db: Db, ids: number[]): Promise<void> {
    const missing = [...new Set(ids)].filter((id) => !this.keys.has(id));
    if (!missing.length) return;
    const { rows } = await db.query<{ id: number; key: string }>(
      'select id, key from journeys where id = any($1::bigint[])',
      [missing]
    );
    for (const r of rows) this.learn(r.id, r.key);
  }

  plan(journeyId: number, version: number): JourneyPlan {
    const found = this.byVersion.get(`${journeyId}/${version}`);
    if (!found) throw new Error(`version ${version} of journey ${journeyId} is not loaded`);
    if (found instanceof Error) throw found;
    return found;
  }

  /** A version's plan, where it is loaded and can be followed. */
  found(journeyId: number, version: number): JourneyPlan | null {
    const found = this.byVersion.get(`${journeyId}/${version}`);
    return found === undefined || found instanceof Error ? null : found;
  }

  /** What a version asks whether it was done with a walk's messages. */
  reactionsRead(journeyId: number, version: number): ReadonlySet<string> {
    return this.found(journeyId, version)?.facts.reactions ?? NONE;
  }

  /** The plan that a walk follows, where it can be followed, with its journey. */
  followed(walk: Walk): [journeyId: number, plan: JourneyPlan][] {
    const id = this.idOf(walk.journey);
    const plan = this.found(id, walk.version);
    return plan ? [[id, plan]] : [];
  }

  /** The splits with a winner of some versions. */
  winnerSplits(versions: Iterable<[journeyId: number, plan: JourneyPlan]>): WinnerSplit[] {
    const found = new Map<string, WinnerSplit>();
    for (const [journeyId, plan] of versions) {
      for (const here of plan.instructions) {
        const { step } = here;
        if (step.kind === 'split' && step.winner)
          found.set(`${journeyId}/${plan.version}/${step.key}`, { journeyId, plan, here, winner: step.winner });
      }
    }
    return [...found.values()];
  }

  keyOf(journeyId: number): string {
    return this.keys.get(journeyId) ?? '';
  }

  idOf(key: string): number {
    const id = this.ids.get(key);
    if (id === undefined) throw new Error(`journey ${key} is not loaded`);
    return id;
  }

  private learn(id: number, key: string): void {
    this.keys.set(id, key);
    this.ids.set(key, id);
  }
}

const NONE: ReadonlySet<string> = new Set();

function compiled(key: string, version: number, document: Journey): JourneyPlan | BrokenVersion {
  try {
    return compile(document, version);
  } catch (error) {
    return new BrokenVersion(`version ${version} of ${key} cannot be followed: ${(error as Error).message}`);
  }
}

const books = new WeakMap<Db, PlanBook>();

/** The book of whoever shows plans: one a pool, so that each is compiled once. */
export function plansOf(db: Db): PlanBook {
  let book = books.get(db);
  if (!book) books.set(db, (book = new PlanBook()));
  return book;
}
