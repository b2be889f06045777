/**
 * A workspace with years of history, made by set statements: everyone has walked
 * one journey, was sent two messages and reacted. As the engine would have left
 * it, but for the instants.
 */
import { randomBytes } from 'node:crypto';
import type { Journey } from '../core/journey/schema.ts';
import { ts, type Pool } from '../server/db/pool.ts';

/** The present of that workspace, UTC ms. */
export const PRESENT = Date.parse('2027-03-01T09:00:00Z');
/** Happenings of each person. */
export const EACH = 20;

const document: Journey = {
  format: 'ambulo.journey/1',
  key: 'history',
  entry: { on: [{ happening: 'tag_added', tag: 'in' }] },
  goal: { when: { happening: 'clicked', of: 'a' }, leave: false },
  lane: [
    { key: 'a', kind: 'email', subject: 'Hello', text: 'See https://quillmoor.example/a' },
    { key: 'w', kind: 'wait', for: 'P30D' },
    {
      key: 'ask',
      kind: 'branch',
      by: 'rules',
      lanes: [
        { label: 'opened', when: { did: 'opened', of: 'a' }, lane: [{ key: 'keen', kind: 'tag', add: ['keen'] }] }
      ],
      otherwise: { label: 'not', lane: [] }
    },
    { key: 'b', kind: 'email', subject: 'Again', text: 'See https://quillmoor.example/b' },
    { key: 'v', kind: 'wait', for: 'P400D' }
  ]
};

/** Fills an empty, migrated database. Half of the people stand on the first wait, half on the last. `due` of them are due. */
export async function fillHistory(pool: Pool, people: number, due: number, say: (line: string) => void): Promise<void> {
  const step = async (name: string, sql: string, values: unknown[] = []): Promise<void> => {
    const began = Date.now();
    await pool.query(sql, values);
    say(`${name}: ${((Date.now() - began) / 1000).toFixed(0)} s`);
  };
  const now = ts(PRESENT);
  await pool.query(
    `insert into workspace (name, zone, clock, practice_now, secret) values ('Bench', 'UTC', 'practice', $1, $2)`,
    [now, randomBytes(32)]
  );
  await pool.query(
    `insert into journeys (key, name, state, draft, draft_saved_at, live_version, created_at, created_by)
     values ('history', 'History', 'live', $1, $2, 1, $2, 'bench')`,
    [JSON.stringify(document), now]
  );
  await pool.query(`insert into versions values (1, 1, $1, $2, 'bench')`, [JSON.stringify(document), now]);
  await step(
    'people',
    `insert into people (email, phone, first_name, last_name, fields, created_at, updated_at)
     select 'p' || n || '@people.example', '+4477' || lpad(n::text, 8, '0'), 'First' || n % 500, 'Last' || (n::bigint * 7919) % 100003,
       jsonb_build_object('town', 'Town ' || n % 50), $1, $1
     from generate_series(1, ${people}) n`,
    [now]
  );
  await step(
    'consents',
    `insert into consents select id, c, 'given', $1, 'bench' from people, unnest(array['email', 'sms']) c`,
    [now]
  );
  await step('tags', `insert into person_tags select id, 'in', $1 from people`, [now]);
  await pool.query(`insert into tags values ('in', $1), ('keen', $1)`, [now]);
  await step('scores', `insert into scores select id, 'interest', id % 100, $1 from people where id % 2 = 0`, [now]);
  // Someone's years: the n-th entered n seconds apart, spread over four years up to the present.
  const entered = `$1::timestamptz - (${people} - p.id) * interval '${Math.max(1, Math.floor((4 * 365 * 86_400) / people))} seconds'`;
  // In instruction order of the compiled plan, counted from its end.
  await step(
    'walks',
    `insert into walks (person_id, id, journey_id, version, state, at_step, step, standing, due_at, begun_by, entered_at, goal_reached, more)
     select p.id, 1, 1, 1, 'walking', case when p.id % 2 = 0 then 4 else 0 end, case when p.id % 2 = 0 then 'w' else 'v' end, 'wait',
       case when p.id % ${Math.max(1, Math.floor(people / due))} = 0 then $1::timestamptz else $1::timestamptz + interval '90 days' end,
       'tag_added', ${entered}, p.id % 5 = 0, '{"visits":{"a":1}}'
     from people p`,
    [now]
  );
  await step(
    'messages',
    `insert into messages (person_id, walk_id, journey_id, version, step, visit, channel, address, state, created_at, try_at,
       attempts, sent_at, subject, body, record, opened_at, clicked_at)
     select p.id, 1, 1, 1, s, 1, 'email', p.email, 'sent', ${entered}, ${entered}, 1, ${entered}, 'Hello', 'See it', 2,
       case when p.id % 3 = 0 then ${entered} end, case when p.id % 5 = 0 then ${entered} end
     from people p, unnest(array['a', 'b']) s where s = 'a' or p.id % 2 = 1`,
    [now]
  );
  await step(
    'happenings',
    `insert into happenings (person_id, name, at, source, source_id, walk_id, journey_id, step, message_id, record, data, handled_at)
     select p.id, (array['tag_added', 'entered', 'sent', 'delivered', 'opened', 'clicked'])[1 + n % 6], ${entered} + n * interval '1 hour',
       case when n % 6 in (4, 5) then 'tracking' else 'engine' end, case when n % 6 in (4, 5) then p.id || '/' || n end,
       1, 1, case when n % 6 > 1 then 'a' end, null, n, '{"channel":"email"}', ${entered} + n * interval '1 hour'
     from people p, generate_series(0, ${EACH - 1}) n`,
    [now]
  );
  await step(
    'trail',
    `insert into trail (person_id, walk_id, journey_id, version, at, step, what, detail, record)
     select p.id, 1, 1, 1, ${entered}, case what when 'entered' then null when 'sent' then 'a' else 'w' end, what, '{"by":"tag_added","channel":"email"}', 1
     from people p, unnest(array['entered', 'sent', 'waiting']) what`,
    [now]
  );
  await step(
    'agenda',
    `insert into agenda (person_id, next_at, worked_at, state, walking, did, did_at)
     select p.id, w.due_at, ${entered}, '{"entered":["history"],"nextWalk":2,"order":${EACH + 1}}', 1, 'opened',
       case when p.id % 3 = 0 then ${entered} end
     from people p join walks w on w.person_id = p.id`,
    [now]
  );
  await step(
    'counters',
    `insert into counters
     select 1, d, 1, s, w, '', slot, ${Math.max(1, Math.floor(people / 100))}
     from (select date '0001-01-01' as d union all select (date '2027-03-01' - n) from generate_series(0, 1460) n) days,
       (values ('', 'entered'), ('', 'walking'), ('', 'goal'), ('a', 'sent'), ('b', 'sent'), ('a', 'opened'), ('a', 'clicked'),
         ('w', 'standing'), ('v', 'standing')) c (s, w), generate_series(0, 7) slot`
  );
  await step(
    'flow',
    `insert into flow
     select timestamptz '2027-03-01 09:00Z' - n * interval '15 minutes', w, slot, 3
     from generate_series(0, 96 * 365) n, unnest(array['entered', 'email', 'opened', 'clicked', 'gone-email']) w, generate_series(0, 1) slot`
  );
  await step('vacuum', 'vacuum analyze');
}
