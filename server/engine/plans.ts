/** The plans that workers follow: live versions for entering, all versions for walks under way. */
import { compile, type Plan } from '../../core/journey/compile.ts';
import type { Journey } from '../../core/journey/schema.ts';
import type { Db } from '../db/pool.ts';

export interface LivePlan {
  journeyId: number;
  plan: Plan;
}

/** Versions never change once made, so a compiled one is kept for good. */
export class PlanBook {
  private readonly byVersion = new Map<string, Plan>();
  private readonly keys = new Map<number, string>();
  private readonly ids = new Map<string, number>();

  /** Live journeys that take people in, in their order. */
  async live(db: Db): Promise<LivePlan[]> {
    const { rows } = await db.query<{ id: number; key: string; live_version: number }>({
      name: 'live-journeys',
      text: `select id, key, live_version from journeys where state = 'live' and live_version is not null order by id`
    });
    for (const r of rows) this.name(r.id, r.key);
    await this.ensure(
      db,
      rows.map((r) => ({ journey_id: r.id, version: r.live_version }))
    );
    return rows.map((r) => ({ journeyId: r.id, plan: this.plan(r.id, r.live_version) }));
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
      this.name(r.journey_id, r.key);
      this.byVersion.set(`${r.journey_id}/${r.number}`, compile(r.document, r.number));
    }
  }

  plan(journeyId: number, version: number): Plan {
    const found = this.byVersion.get(`${journeyId}/${version}`);
    if (!found) throw new Error(`version ${version} of journey ${journeyId} is not loaded`);
    return found;
  }

  keyOf(journeyId: number): string {
    return this.keys.get(journeyId) ?? '';
  }

  idOf(key: string): number {
    const id = this.ids.get(key);
    if (id === undefined) throw new Error(`journey ${key} is not loaded`);
    return id;
  }

  private name(id: number, key: string): void {
    this.keys.set(id, key);
    this.ids.set(key, id);
  }
}
