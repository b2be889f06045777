/** The plans that workers follow: live versions for entering, all versions for walks under way. */
import { compile, type JourneyPlan } from '../../core/journey/compile.ts';
import type { Journey } from '../../core/journey/schema.ts';
import type { Db } from '../db/pool.ts';

export interface LivePlan {
  journeyId: number;
  plan: JourneyPlan;
}

/** A version that cannot be followed: those who walk on it are set aside, and nobody enters. */
export class BrokenVersion extends Error {}

/**
 * Versions never change once made, so a compiled one is kept for good. One that cannot be compiled is kept as its
 * error, which only those meet who walk on it.
 */
export class PlanBook {
  private readonly byVersion = new Map<string, JourneyPlan | BrokenVersion>();
  private readonly keys = new Map<number, string>();
  private readonly ids = new Map<string, number>();

  /** Live journeys that take people in, in their order. */
  live(db: Db): Promise<LivePlan[]> {
    return this.inState(db, 'live');
  }

  private async inState(db: Db, state: 'live' | 'paused'): Promise<LivePlan[]> {
    const { rows } = await db.query<{ id: number; key: string; live_version: number }>({
      name: 'journeys-in-state',
      text: `select id, key, live_version from journeys where state = $1 and live_version is not null order by id`,
      values: [state]
    });
    for (const r of rows) this.learn(r.id, r.key);
    await this.ensure(
      db,
      rows.map((r) => ({ journey_id: r.id, version: r.live_version }))
    );
    return rows.flatMap((r) => {
      const plan = this.byVersion.get(`${r.id}/${r.live_version}`);
      return plan && !(plan instanceof Error) ? [{ journeyId: r.id, plan }] : [];
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
      this.byVersion.set(`${r.journey_id}/${r.number}`, compiled(r.key, r.number, r.document));
    }
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

  /** What a version asks whether it was done with a walk's messages. */
  reactionsRead(journeyId: number, version: number): ReadonlySet<string> {
    const found = this.byVersion.get(`${journeyId}/${version}`);
    return found === undefined || found instanceof Error ? NONE : found.facts.reactions;
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
