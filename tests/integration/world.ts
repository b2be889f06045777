/** A workspace of its own for each test: database, Postbox, Handset, engine. */
import { randomBytes } from 'node:crypto';
import { inject } from 'vitest';
import pg from 'pg';
import type { Journey } from '../../core/journey/schema.ts';
import type { PersonState } from '../../core/person/state.ts';
import { setPracticeClock } from '../../server/workspace/clock.ts';
import { settle } from '../../server/running/skip.ts';
import { openPool, ts, type Pool } from '../../server/db/pool.ts';
import { makeEngine, type Engine } from '../../server/running/context.ts';
import { createJourney } from '../../server/journeys/journeys.ts';
import { setLive } from '../../server/journeys/going-live.ts';
import { openMailer } from '../../server/mail/smtp.ts';
import { startHandset, type Handset } from '../../standins/handset.ts';
import { startPostbox, type Postbox } from '../../standins/postbox.ts';
import { DAYS, MONDAY } from '../make.ts';

export interface World {
  url: string;
  pool: Pool;
  engine: Engine;
  postbox: Postbox;
  handset: Handset;
  secret: Buffer;
  close(): Promise<void>;
}

let count = 0;

async function asKeeper(sql: string): Promise<void> {
  const admin = new pg.Client({ connectionString: inject('keeper') });
  await admin.connect();
  await admin.query(sql);
  await admin.end();
}

/** `at`: where its practice clock stands, UTC ms. */
export async function openWorld(at = MONDAY): Promise<World> {
  const name = `test_${process.pid}_${++count}`;
  await asKeeper(`create database ${name} owner ambulo template migrated`);
  const url = inject('template').replace(/[^/]+$/, name);
  const pool = openPool(url);
  const secret = randomBytes(32);
  await pool.query(
    `insert into workspace (name, zone, clock, practice_now, secret) values ('Test', 'UTC', 'practice', $1, $2)`,
    [ts(at), secret]
  );
  const postbox = await startPostbox({ smtp: 0, http: 0 });
  const handset = await startHandset({ port: 0, webhook: () => 'http://127.0.0.1:9/none', secret: 'x'.repeat(32) });
  const mailer = openMailer({ url: `smtp://127.0.0.1:${postbox.smtpPort}` });
  const engine = makeEngine(
    pool,
    {
      mailer,
      smsUrl: `http://127.0.0.1:${handset.port}`,
      smsFrom: 'Test',
      mailFrom: 'Test <desk@quillmoor.example>',
      mailDomain: 'quillmoor.example',
      replyTo: null,
      takesMail: false,
      base: 'http://127.0.0.1:9999',
      secret,
      latest: { email: DAYS, sms: DAYS }
    },
    null,
    0
  );
  return {
    url,
    pool,
    engine,
    postbox,
    handset,
    secret,
    async close() {
      for (const outbox of engine.outboxes) outbox.close();
      mailer.close();
      await Promise.all([postbox.close(), handset.close()]);
      await pool.end();
      // A test may have opened others of its own.
      await asKeeper(`drop database ${name} with (force)`);
    }
  };
}

/** Puts people in as they stand; their ids come in order. */
export async function addPeople(pool: Pool, people: PersonState[]): Promise<number[]> {
  const ids: number[] = [];
  for (const p of people) {
    const f = Object.fromEntries(p.fields);
    const { email, phone, first_name, last_name, zone, ...rest } = f;
    const { rows } = await pool.query<{ id: number }>(
      `insert into people (email, phone, first_name, last_name, zone, fields, created_at, updated_at) values ($1, $2, $3, $4, $5, $6, (select practice_now from workspace), (select practice_now from workspace)) returning id`,
      [email, phone, first_name, last_name, zone, JSON.stringify(rest)]
    );
    const id = rows[0]!.id;
    ids.push(id);
    for (const [score, points] of p.scores)
      await pool.query('insert into scores values ($1, $2, $3, $4)', [id, score, points, ts(MONDAY)]);
    for (const list of p.lists)
      await pool.query('insert into person_lists values ($1, $2, $3)', [id, list, ts(MONDAY)]);
    for (const tag of p.tags) await pool.query('insert into person_tags values ($1, $2, $3)', [id, tag, ts(MONDAY)]);
    for (const [channel, state] of Object.entries(p.consent)) {
      await pool.query(`insert into consents values ($1, $2, $3, $4, 'test')`, [id, channel, state, ts(MONDAY)]);
    }
  }
  return ids;
}

/** Makes journeys and sets them live, in their order; all are there before the first goes live. */
export async function live(world: World, ...journeys: Journey[]): Promise<void> {
  const keys: string[] = [];
  for (const journey of journeys) keys.push(await createJourney(world.pool, journey, 'test'));
  for (const key of keys) {
    const result = await setLive(world.pool, key, 1, 'test');
    if (!result.ok) throw new Error(result.message);
  }
}

/** Hands over what is due now, and waits until it is recorded; how many messages were taken. */
export async function dispatch({ engine }: World): Promise<number> {
  let taken = 0;
  for (const outbox of engine.outboxes) {
    taken += await outbox.fill();
    await outbox.drain(60_000);
  }
  return taken;
}

/** Works until nothing is left to do now, then moves the clock from due instant to due instant. */
export async function skipTo(world: World, until: number): Promise<void> {
  for (;;) {
    const next = await settle(world.engine, false);
    if (next === null || next > until) break;
    await setPracticeClock(world.pool, next);
  }
  await setPracticeClock(world.pool, until);
  await settle(world.engine, false);
}

/** Fetched by a reader's browser. */
export const READER = {
  method: 'GET',
  userAgent: 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0',
  purpose: null
};

/** Stores a happening about a message, as the intake does, at the present instant. */
export async function react(
  world: World,
  person: number,
  step: string,
  name: string,
  data: object = {},
  journey: string | null = null
): Promise<void> {
  await world.pool.query(
    `insert into happenings (person_id, name, at, source, walk_id, journey_id, step, message_id, data)
     select m.person_id, $3, w.practice_now, 'test', m.walk_id, m.journey_id, m.step, m.id, jsonb_build_object('channel', m.channel) || $4::jsonb
     from messages m join journeys j on j.id = m.journey_id, workspace w
     where m.person_id = $1 and m.step = $2 and ($5::text is null or j.key = $5)
     order by m.id desc limit 1`,
    [person, step, name, JSON.stringify(data), journey]
  );
}

/** The trail as a replay prints it. */
export async function trailOf(pool: Pool): Promise<Record<string, unknown>[]> {
  const { rows } = await pool.query<{
    at: number;
    person_id: number;
    key: string;
    step: string | null;
    what: string;
    detail: object;
  }>(
    `select t.at, t.person_id, j.key, t.step, t.what, t.detail from trail t join journeys j on j.id = t.journey_id order by t.at, t.person_id, t.id`
  );
  return rows.map((r) => ({
    at: new Date(r.at).toISOString(),
    person: String(r.person_id),
    journey: r.key,
    step: r.step,
    what: r.what,
    ...r.detail
  }));
}
