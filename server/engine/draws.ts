/**
 * Splits with a winner, over all people and workers: who was drawn stands in a table, counted by the database; the winner
 * is decided by one worker, under a lock that all take who might. Rules: docs/journey-language.md, "Winner".
 */
import { keysOfLanes } from '../../core/steps/winner.ts';
import { addShares, type Drawn, type Draws, type Share } from '../../core/walk/draws.ts';
import type { Plan } from '../../core/walk/plan.ts';
import { columns } from '../db/columns.ts';
import { ts, type Db } from '../db/pool.ts';
import type { PlanBook, WinnerSplit } from './plans.ts';

/**
 * Somebody has arrived by whom the winner is decided. Everything is counted for that, which no batch does beforehand: the
 * batch is worked on once more, with the count, under the lock.
 */
export class WinnerDue extends Error {
  constructor(readonly split: string) {
    super(`the winner of ${split} is due`);
  }
}

/** Draws of one split of one version, as a batch found them and as it goes on. */
export class LiveDraws implements Draws {
  /** Drawn in this batch. */
  readonly fresh: Drawn[] = [];
  /** Whether the winner was decided in this batch. */
  decided = false;

  constructor(
    readonly split: WinnerSplit,
    public winner: number | null,
    /** How many were drawn before, as far as it matters, and when the last that matters was. */
    private readonly before: { count: number; nth: number | null },
    /** What came of those before; `null` where it was not counted. */
    private readonly counted: Share[] | null
  ) {}

  draw(drawn: Drawn): void {
    this.fresh.push(drawn);
  }

  nth(n: number): number | null {
    return this.before.nth ?? this.fresh[n - this.before.count - 1]?.at ?? null;
  }

  shares(lanes: number, did: (drawn: Drawn) => boolean): Share[] {
    const { counted } = this;
    if (!counted) throw new WinnerDue(keyOfSplit(this.split));
    return addShares(
      Array.from({ length: lanes }, (_, i) => ({ ...(counted[i] ?? { drawn: 0, did: 0 }) })),
      this.fresh,
      did
    );
  }

  decide(lane: number): void {
    this.winner = lane;
    this.decided = true;
  }
}

const keyOf = (journeyId: number, version: number, step: string): string => `${journeyId}/${version}/${step}`;
const keyOfSplit = ({ journeyId, plan, here }: WinnerSplit): string => keyOf(journeyId, plan.version, here.step.key);

/** The draws of a batch, by their split. */
export class DrawsBook {
  private constructor(
    private readonly plans: PlanBook,
    private readonly known: Map<string, LiveDraws>
  ) {}

  /** Reads what was drawn at these splits; for those `due`, by their key, also what came of it. */
  static async read(
    db: Db,
    plans: PlanBook,
    splits: WinnerSplit[],
    due: ReadonlySet<string> | 'all'
  ): Promise<DrawsBook> {
    const known = new Map<string, LiveDraws>();
    for (const split of splits) {
      const key = keyOfSplit(split);
      known.set(key, await readOne(db, split, due === 'all' || due.has(key)));
    }
    return new DrawsBook(plans, known);
  }

  /** Draws that are not written: for what is only foreseen. */
  of = (plan: Plan, step: string): Draws => {
    const found = this.known.get(keyOf(this.plans.idOf(plan.key), plan.version, step));
    if (!found) throw new Error(`the draws of ${step} of ${plan.key} were not loaded`);
    return found;
  };

  /** Writes who was drawn, but for people whose work failed, and the winners that were decided. `now`: UTC ms. */
  async save(db: Db, now: number, failed: number[]): Promise<void> {
    let rows = [...this.known.values()].flatMap(({ fresh, split }) =>
      fresh.map(({ person, walk, lane, at }) => ({
        journey: split.journeyId,
        version: split.plan.version,
        step: split.here.step.key,
        person: Number(person.id),
        walk: walk.id,
        lane,
        at: ts(at)
      }))
    );
    rows = rows.filter((r) => !failed.includes(r.person));
    if (rows.length) {
      await db.query({
        name: 'save-draws',
        text: `
          insert into draws (journey_id, version, step, person_id, walk_id, lane, at)
          select * from unnest($1::bigint[], $2::integer[], $3::text[], $4::bigint[], $5::integer[], $6::integer[],
            $7::timestamptz[])
          on conflict do nothing`,
        values: columns(rows, ['journey', 'version', 'step', 'person', 'walk', 'lane', 'at'])
      });
    }
    for (const { decided, winner, split } of this.known.values()) {
      if (!decided) continue;
      await db.query(`insert into winners (journey_id, version, step, lane, at) values ($1, $2, $3, $4, $5)`, [
        split.journeyId,
        split.plan.version,
        split.here.step.key,
        winner,
        ts(now)
      ]);
    }
  }
}

async function readOne(db: Db, split: WinnerSplit, due: boolean): Promise<LiveDraws> {
  const { journeyId, plan, here, winner } = split;
  const which = [journeyId, plan.version, here.step.key];
  const won = async (): Promise<number | null> => {
    const { rows } = await db.query<{ lane: number }>({
      name: 'winner',
      text: 'select lane from winners where journey_id = $1 and version = $2 and step = $3',
      values: which
    });
    return rows[0]?.lane ?? null;
  };
  const decided = await won();
  if (decided !== null) return new LiveDraws(split, decided, { count: 0, nth: null }, null);
  const { people } = winner.after;
  const { rows } = await db.query<{ count: number; nth: number | null }>({
    name: 'drawn',
    text: `
      select count(*) as count, case when count(*) = $4 then max(at) end as nth
      from (select at from draws where journey_id = $1 and version = $2 and step = $3 order by at limit $4) as d`,
    values: [...which, people]
  });
  const before = rows[0] ?? { count: 0, nth: null };
  if (!due) return new LiveDraws(split, null, before, null);
  await db.query('select pg_advisory_xact_lock($1, hashtext($2))', [journeyId % 2 ** 31, keyOfSplit(split)]);
  return new LiveDraws(split, await won(), before, await sharesOf(db, split));
}

/** Of each lane: how many were drawn, and how many of them did it. */
async function sharesOf(db: Db, { journeyId, plan, here, winner }: WinnerSplit): Promise<Share[]> {
  const keys = keysOfLanes(here, plan);
  const did =
    winner.by === 'goal'
      ? '(select goal_reached from walks w where w.person_id = d.person_id and w.id = d.walk_id)'
      : `exists (select from messages m where m.person_id = d.person_id and m.walk_id = d.walk_id
           and m.step = any($5::text[]) and m.${winner.by}_at is not null)`;
  const shares: Share[] = [];
  for (const [lane, steps] of keys.entries()) {
    const { rows } = await db.query<Share>(
      `select count(*) as drawn, count(*) filter (where ${did}) as did
       from draws d where journey_id = $1 and version = $2 and step = $3 and lane = $4`,
      [journeyId, plan.version, here.step.key, lane, ...(winner.by === 'goal' ? [] : [[...steps]])]
    );
    shares.push(rows[0] ?? { drawn: 0, did: 0 });
  }
  return shares;
}
