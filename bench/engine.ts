/**
 * engine: steps per second of the live engine, one worker, against a bare loop
 * that claims, updates and logs the same rows with `unnest` and computes
 * nothing. A step is one line of the trail. The reference writes as many rows
 * to the same tables, by replaying what the engine wrote: the same walks, trail
 * lines, happenings, messages and facts, batch for batch.
 */
import { randomBytes } from 'node:crypto';
import type { Journey } from '../core/journey/schema.ts';
import { migrate } from '../server/db/migrate.ts';
import { openPool, transaction, ts, type Pool } from '../server/db/pool.ts';
import { setPracticeClock } from '../server/workspace/clock.ts';
import { runBatch } from '../server/engine/batch.ts';
import { PlanBook } from '../server/engine/plans.ts';
import { withCluster } from './database.ts';
import { median, type Benchmark } from './row.ts';

export const PEOPLE = 10_000;
export const BATCH = 500;
const ROUNDS = 3;
export const START = Date.parse('2027-03-01T09:00:00Z');
export const DAY = 86_400_000;

const document: Journey = {
  format: 'ambulo.journey/1',
  key: 'bench',
  entry: { on: [{ happening: 'tag_added', tag: 'in' }] },
  lane: [
    { key: 'a', kind: 'email', subject: 'Hello', text: 'Hello' },
    { key: 'w', kind: 'wait', for: 'P2D' },
    {
      key: 'ask',
      kind: 'branch',
      by: 'rules',
      lanes: [
        { label: 'opened', when: { did: 'opened', of: 'a' }, lane: [{ key: 'keen', kind: 'tag', add: ['keen'] }] }
      ],
      otherwise: { label: 'not', lane: [{ key: 't', kind: 'sms', text: 'Hello' }] }
    },
    { key: 'v', kind: 'wait', for: 'P1D' },
    { key: 'points', kind: 'score', score: 'interest', add: 5 }
  ]
};

/** A workspace with the journey live, and everybody's way in waiting. */
export async function prepare(pool: Pool): Promise<void> {
  await pool.query('truncate people, journeys, workspace, tags, trail, flow restart identity cascade');
  await pool.query(
    `insert into workspace (name, zone, clock, practice_now, secret) values ('Bench', 'UTC', 'practice', $1, $2)`,
    [ts(START), randomBytes(32)]
  );
  await pool.query(
    `insert into journeys (key, name, state, draft, draft_saved_at, live_version, created_at, created_by) values ('bench', 'Bench', 'live', $1, $2, 1, $2, 'bench')`,
    [JSON.stringify(document), ts(START)]
  );
  await pool.query(`insert into versions values (1, 1, $1, $2, 'bench')`, [JSON.stringify(document), ts(START)]);
  await pool.query(
    `insert into people (email, phone, created_at, updated_at)
     select 'p' || n || '@people.example', '+4477' || lpad(n::text, 8, '0'), $1, $1 from generate_series(1, ${PEOPLE}) n`,
    [ts(START)]
  );
  await pool.query(
    `insert into consents select id, c, 'given', $1, 'bench' from people, unnest(array['email', 'sms']) c`,
    [ts(START)]
  );
  await pool.query(
    `insert into happenings (person_id, name, at, source, data) select id, 'set', $1, 'bench', '{"addTags": ["in"]}' from people order by id`,
    [ts(START)]
  );
  await pool.query('vacuum analyze');
}

/** Runs all that is due now; lines of trail written. */
async function drain(pool: Pool, plans: PlanBook): Promise<number> {
  let lines = 0;
  for (;;) {
    const result = await runBatch(pool, plans, BATCH);
    if (!result.people) return lines;
    lines += result.lines;
  }
}

export async function timed(work: () => Promise<number>): Promise<number> {
  const began = performance.now();
  const done = await work();
  return done / ((performance.now() - began) / 1000);
}

/** One whole run: everyone enters, half of them open, then the two waits end. */
export async function ours(pool: Pool): Promise<number> {
  const plans = new PlanBook();
  await prepare(pool);
  return timed(async () => {
    let lines = await drain(pool, plans);
    await pool.query(
      `insert into happenings (person_id, name, at, source, walk_id, journey_id, step, message_id, data)
       select person_id, 'opened', $1, 'bench', walk_id, journey_id, step, id, '{"channel": "email"}' from messages where person_id % 2 = 0`,
      [ts(START + DAY)]
    );
    for (const day of [1, 2, 3]) {
      await setPracticeClock(pool, START + day * DAY);
      lines += await drain(pool, plans);
    }
    return lines;
  });
}

type Written = Record<string, unknown>;
/** What one batch wrote. */
interface Stage {
  stage: number;
  people: { person_id: number }[];
  trail: Written[];
  happenings: Written[];
  messages: Written[];
}

/** Claims the same people in the same batches and writes the same rows, from a copy kept aside. */
async function bare(pool: Pool): Promise<number> {
  for (const table of ['walks', 'trail', 'happenings', 'messages', 'person_tags', 'scores', 'agenda']) {
    await pool.query(`create unlogged table if not exists kept_${table} (like ${table})`);
    await pool.query(`truncate kept_${table}`);
    await pool.query(`insert into kept_${table} select * from ${table}`);
  }
  // Which batch of people a row was written with: rows of one instant and one person belong together.
  await pool.query(`create unlogged table if not exists kept_batches (stage integer, batch integer, person_id bigint)`);
  await pool.query('truncate kept_batches');
  await pool.query(
    `insert into kept_batches select s, (id - 1) / ${BATCH}, id from people, generate_series(0, 3) s where s <> 1 or id % 2 = 0`
  );
  await pool.query('create index if not exists kept_batches_i on kept_batches (stage, batch)');
  for (const table of ['trail', 'happenings', 'messages'])
    await pool.query(`create index if not exists kept_${table}_i on kept_${table} (person_id)`);
  const rowsOf = async (sql: string, stage: number, batch: number): Promise<unknown[]> =>
    (
      await pool.query(
        `${sql} join kept_batches b on b.person_id = k.person_id where b.stage = ${stage} and b.batch = ${batch}`
      )
    ).rows;
  const stages: Stage[] = [];
  for (const stage of [0, 1, 2, 3]) {
    for (let batch = 0; batch < PEOPLE / BATCH; batch++) {
      const at = ts(START + stage * DAY);
      stages.push({
        stage,
        people: (await rowsOf('select k.person_id from kept_walks k', stage, batch)) as { person_id: number }[],
        trail: (await rowsOf(
          `select k.* from (select * from kept_trail where at = '${at}') k`,
          stage,
          batch
        )) as Written[],
        happenings: (await rowsOf(
          `select k.* from (select * from kept_happenings where at = '${at}' and source = 'engine') k`,
          stage,
          batch
        )) as Written[],
        messages: (await rowsOf(
          `select k.* from (select * from kept_messages where created_at = '${at}') k`,
          stage,
          batch
        )) as Written[]
      });
    }
  }
  const walks = new Map(
    (await pool.query<{ person_id: number }>('select * from kept_walks')).rows.map((w) => [
      w.person_id,
      w as Record<string, unknown>
    ])
  );
  const agendas = new Map(
    (await pool.query<{ person_id: number; state: object }>('select person_id, state from kept_agenda')).rows.map(
      (a) => [a.person_id, a.state]
    )
  );
  await prepare(pool);
  await pool.query(
    `insert into happenings (person_id, name, at, source, data) select id, 'opened', $1, 'bench', '{"channel": "email"}' from people where id % 2 = 0`,
    [ts(START + DAY)]
  );
  await pool.query('vacuum analyze happenings');
  const column = (rows: Written[], name: string): unknown[] =>
    rows.map((r) => (r[name] !== null && typeof r[name] === 'object' ? JSON.stringify(r[name]) : r[name]));
  const instant = (rows: Written[], name: string): unknown[] =>
    rows.map((r) => (typeof r[name] === 'number' ? ts(r[name]) : r[name]));
  return timed(async () => {
    let lines = 0;
    for (const { stage, people, trail, happenings, messages } of stages) {
      if (!people.length) continue;
      const ids = people.map((p) => p.person_id);
      const mine = ids.map((id) => walks.get(id) ?? {});
      await transaction(pool, async (db) => {
        await db.query('select id from people where id = any($1::bigint[]) for no key update skip locked', [ids]);
        if (stage === 0) {
          await db.query(
            `insert into walks (person_id, id, journey_id, version, state, at_step, step, standing, due_at, begun_by, entered_at)
             select p, 1, 1, 1, 'walking', 0, 'w', 'wait', $2, 'tag_added', $3 from unnest($1::bigint[]) p`,
            [ids, ts(START + 2 * DAY), ts(START)]
          );
          await db.query(`insert into person_tags select p, 'in', $2 from unnest($1::bigint[]) p`, [ids, ts(START)]);
        } else {
          await db.query(
            `update walks w set state = m.state, at_step = m.at_step, due_at = m.due_at, more = m.more
             from unnest($1::bigint[], $2::text[], $3::integer[], $4::timestamptz[], $5::jsonb[]) as m (person_id, state, at_step, due_at, more)
             where w.person_id = m.person_id and w.id = 1`,
            [
              ids,
              column(mine, 'state'),
              column(mine, 'at_step'),
              ids.map(() => (stage === 3 ? null : ts(START + 3 * DAY))),
              column(mine, 'more')
            ]
          );
        }
        if (stage === 2)
          await db.query(`insert into person_tags select p, 'keen', $2 from unnest($1::bigint[]) p where p % 2 = 0`, [
            ids,
            ts(START)
          ]);
        if (stage === 3)
          await db.query(`insert into scores select p, 'interest', 5, $2 from unnest($1::bigint[]) p`, [
            ids,
            ts(START)
          ]);
        if (stage < 2)
          await db.query(
            'update happenings set handled_at = at where person_id = any($1::bigint[]) and handled_at is null and at <= $2',
            [ids, ts(START + stage * DAY)]
          );
        await db.query(
          `insert into trail (person_id, walk_id, journey_id, version, at, step, what, detail, record)
           select * from unnest($1::bigint[], $2::integer[], $3::bigint[], $4::integer[], $5::timestamptz[], $6::text[], $7::text[], $8::jsonb[], $9::bigint[])`,
          [
            column(trail, 'person_id'),
            column(trail, 'walk_id'),
            column(trail, 'journey_id'),
            column(trail, 'version'),
            instant(trail, 'at'),
            column(trail, 'step'),
            column(trail, 'what'),
            column(trail, 'detail'),
            column(trail, 'record')
          ]
        );
        await db.query(
          `insert into happenings (person_id, name, at, source, walk_id, journey_id, step, data, handled_at, record)
           select p, n, a, 'engine', w, j, s, d, a, r from unnest($1::bigint[], $2::text[], $3::timestamptz[], $4::integer[], $5::bigint[], $6::text[], $7::jsonb[], $8::bigint[]) as t (p, n, a, w, j, s, d, r)`,
          [
            column(happenings, 'person_id'),
            column(happenings, 'name'),
            instant(happenings, 'at'),
            column(happenings, 'walk_id'),
            column(happenings, 'journey_id'),
            column(happenings, 'step'),
            column(happenings, 'data'),
            column(happenings, 'record')
          ]
        );
        await db.query(
          `insert into agenda as a (person_id, next_at, worked_at, state, walking)
           select p, $2, $3, s, 1 from unnest($1::bigint[], $4::jsonb[]) as t (p, s)
           on conflict (person_id) do update set next_at = excluded.next_at, worked_at = excluded.worked_at, state = excluded.state`,
          [
            ids,
            stage === 3 ? null : ts(START + (stage + 1) * DAY),
            ts(START + stage * DAY),
            ids.map((id) => JSON.stringify(agendas.get(id) ?? {}))
          ]
        );
        await db.query(
          `insert into messages (person_id, walk_id, journey_id, version, step, visit, channel, address, created_at, try_at)
           select p, w, 1, 1, s, 1, c, a, t, t from unnest($1::bigint[], $2::integer[], $3::text[], $4::text[], $5::text[], $6::timestamptz[]) as x (p, w, s, c, a, t)`,
          [
            column(messages, 'person_id'),
            column(messages, 'walk_id'),
            column(messages, 'step'),
            column(messages, 'channel'),
            column(messages, 'address'),
            instant(messages, 'created_at')
          ]
        );
      });
      lines += trail.length;
    }
    return lines;
  });
}

export const engine: Benchmark = (say) =>
  withCluster(async (cluster) => {
    const pool = openPool(cluster.url, 10, 0);
    try {
      await migrate(pool);
      const measured: { ours: number; bare: number }[] = [];
      for (let round = 1; round <= ROUNDS; round++) {
        const mine = await ours(pool);
        const reference = await bare(pool);
        measured.push({ ours: mine, bare: reference });
        say(`round ${round} of ${ROUNDS}: ${Math.round(mine)} steps/s, bare loop ${Math.round(reference)}`);
      }
      // The middle round as a whole, so that ours and the reference were neighbours in time.
      const middle = median(measured.map((m) => m.ours / m.bare));
      const row = measured.find((m) => m.ours / m.bare === middle) ?? { ours: NaN, bare: NaN };
      return [
        {
          name: `live engine, ${PEOPLE} people, one worker`,
          ours: row.ours,
          reference: row.bare,
          ratio: middle,
          target: '>= 0.5',
          unit: 'steps/s'
        }
      ];
    } finally {
      await pool.end();
    }
  });
