/**
 * The statements of hot paths at size: none reads a large table as a whole. What each page and batch really asks is
 * written down as it is asked, and explained.
 */
import type pg from 'pg';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { EACH, fillHistory, PRESENT } from '../../bench/history-data.ts';
import { setPracticeClock } from '../../server/workspace/clock.ts';
import { settle } from '../../server/running/skip.ts';
import { openPool, type Pool } from '../../server/db/pool.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { makeEngine, type Engine } from '../../server/running/context.ts';
import { PlanBook } from '../../server/engine/plans.ts';
import { fieldNames } from '../../server/engine/field-names.ts';
import { personPage, searchPeople, SORTS } from '../../server/people/people.ts';
import { brakeFigures, halted } from '../../server/journeys/brake.ts';
import { scoreNames } from '../../server/people/shown.ts';
import { health } from '../../server/results/health.ts';
import { journeyLines } from '../../server/results/journeys-table.ts';
import { replies } from '../../server/results/replies.ts';
import { peopleOf, sheetFigures } from '../../server/results/sheet-figures.ts';
import { today } from '../../server/results/today.ts';
import { nextOf } from '../../server/selection/selection.ts';
import { countSelected } from '../../server/people/counting.ts';
import { workCrowd } from '../../server/crowds/crowds.ts';
import { decideEarly } from '../../server/intake/early.ts';
import { takeEvents } from '../../server/intake/events.ts';
import { receivedText } from '../../server/intake/texts.ts';
import { setAsidePage } from '../../server/results/aside.ts';
import { metrics } from '../../server/results/metrics.ts';
import { SettingsBook } from '../../server/workspace/settings.ts';
import { saveSettings } from '../../server/settings/save.ts';
import { tasks } from '../../server/tasks/tasks.ts';
import { settings } from '../make.ts';
import { openWorld, type World } from './world.ts';

const PEOPLE = 20_000;
/** Tables that grow with years: no plan reads them as a whole, whatever it costs at this size. */
const YEARS = ['trail', 'happenings', 'messages'];
/** Tables that grow with people: an index serves every question, though here reading them as a whole may be cheaper. */
const PEOPLES = ['people', 'walks', 'agenda', 'person_tags', 'consents', 'scores'];

interface Asked {
  text: string;
  values: unknown[];
}

let world: World;
let pool: Pool;
let engine: Engine;
let asked: Asked[] = [];

beforeAll(async () => {
  world = await openWorld();
  await world.pool.query('delete from workspace');
  await fillHistory(world.pool, PEOPLE, 1000, () => undefined);
  await setPracticeClock(world.pool, PRESENT);
  pool = openPool(world.url, 4);
  // Everything asked over this pool is written down.
  pool.on('connect', (client) => {
    const query = client.query.bind(client) as (...args: unknown[]) => unknown;
    Object.assign(client, {
      query: (...args: unknown[]) => {
        const [first, second] = args;
        const config = typeof first === 'string' ? { text: first, values: second } : (first as pg.QueryConfig);
        if (/^\s*(with|select|update|delete|insert)/i.test(config.text))
          asked.push({ text: config.text, values: Array.isArray(config.values) ? config.values : [] });
        return query(...args);
      }
    });
  });
  engine = makeEngine(pool, world.engine.post, null);
}, 120_000);
afterAll(async () => {
  for (const outbox of engine.outboxes) outbox.close();
  await pool.end();
  await world.close();
});

const EVENT = {
  specversion: '1.0',
  id: 'plan',
  source: 'test',
  type: 'ambulo.page_seen',
  time: '2020-01-01T00:00:00Z',
  subject: '77',
  data: { url: '/' }
};
const SETTINGS = settings({
  segments: [
    {
      name: 'keen',
      when: {
        any: [
          { did: 'opened', last: 'P30D' },
          { did: 'sent', times: { gte: 3 } }
        ]
      }
    }
  ],
  limits: [{ channel: 'email', atMost: 3, per: 'P1W' }]
});

interface Node {
  'Node Type': string;
  'Relation Name'?: string;
  'Actual Rows'?: number;
  'Actual Loops'?: number;
  'Rows Removed by Filter'?: number;
  'Rows Removed by Index Recheck'?: number;
  Plans?: Node[];
}

/** Large tables that a statement's plan reads as a whole. */
async function readsWhole({ text, values }: Asked): Promise<string[]> {
  const client = await world.pool.connect();
  const whole = async (tables: string[]): Promise<string[]> => {
    const { rows } = await client.query<{ 'QUERY PLAN': [{ Plan: Node }] }>(`explain (format json) ${text}`, values);
    const visit = (node: Node): string[] => [
      ...(node['Node Type'] === 'Seq Scan' && tables.includes(node['Relation Name'] ?? '')
        ? [node['Relation Name'] ?? '']
        : []),
      ...(node.Plans ?? []).flatMap(visit)
    ];
    return rows.flatMap((r) => visit(r['QUERY PLAN'][0].Plan));
  };
  try {
    await client.query('begin');
    const years = await whole(YEARS);
    await client.query('set local enable_seqscan = off');
    return [...years, ...(await whole(PEOPLES))];
  } finally {
    await client.query('rollback');
    client.release();
  }
}

/** So many rows are read for one that is given, and beside that so many at all: whatever the size of the tables. */
const FOR_ONE = 50;
const AT_ALL = 2500;

/** Rows that a statement reads of large tables, when it is carried out, and how many it gives; it is taken back. */
async function rowsRead({ text, values }: Asked): Promise<{ read: number; given: number }> {
  const client = await world.pool.connect();
  const of = (node: Node): number => {
    const own = [...YEARS, ...PEOPLES].includes(node['Relation Name'] ?? '') && /Scan$/.test(node['Node Type']);
    const rows =
      (node['Actual Rows'] ?? 0) + (node['Rows Removed by Filter'] ?? 0) + (node['Rows Removed by Index Recheck'] ?? 0);
    return (own ? rows * (node['Actual Loops'] ?? 1) : 0) + (node.Plans ?? []).reduce((sum, n) => sum + of(n), 0);
  };
  try {
    await client.query('begin');
    // Of 20,000 it may be cheaper to read all than a few hundred by themselves; of 20 million it is not.
    await client.query('set local enable_seqscan = off');
    const { rows } = await client.query<{ 'QUERY PLAN': [{ Plan: Node }] }>(
      `explain (analyze, timing off, format json) ${text}`,
      values
    );
    const { Plan: plan } = rows[0]!['QUERY PLAN'][0];
    return { read: of(plan), given: plan['Actual Rows'] ?? 0 };
  } catch (error) {
    // What was stored cannot be stored a second time; what led to it was asked before.
    if ((error as { code?: string }).code === '23505') return { read: 0, given: 0 };
    throw error;
  } finally {
    await client.query('rollback');
    client.release();
  }
}

/** What the tables of people show. */
const shown = { field: 'town', score: 'interest' };

const PATHS: [string, () => Promise<unknown>][] = [
  ['a batch', () => runBatch(pool, new PlanBook(), 100)],
  ['what is next, and sending', () => settle(engine, false)],
  ['Today', () => today(pool)],
  ['Journeys', () => journeyLines(pool)],
  ['the sheet’s figures', () => sheetFigures(pool, 1, null)],
  ['who stands on a step', () => peopleOf(pool, 1, null, { on: 'step', step: 'w' }, 100)],
  ...SORTS.flatMap((sort) =>
    [false, true].map((descending): [string, () => Promise<unknown>] => [
      `People by ${sort}, ${descending ? 'downwards, ' : ''}pages forth and back`,
      async () => {
        const search = { text: '', tag: null, sort, descending, shown };
        const first = await searchPeople(pool, search);
        const second = await searchPeople(pool, { ...search, place: first.after });
        await searchPeople(pool, { ...search, place: second.before });
      }
    ])
  ),
  [
    'People by letters',
    () => searchPeople(pool, { text: 'p1999@', tag: null, sort: 'name', descending: false, shown })
  ],
  ['one person’s page', () => personPage(pool, PEOPLE / 2)],
  [
    'three people who were ticked',
    async () => {
      const ids = [3, PEOPLE / 2, PEOPLE];
      const selection = { ids, where: { not: { tag: 'nobody' } } };
      const { workspace } = await new SettingsBook().read(pool);
      expect((await nextOf(pool, selection, 0, 2000, PRESENT, workspace)).ids).toEqual(ids);
      expect(await countSelected(pool, new SettingsBook(), selection, null)).toMatchObject({ people: 3 });
    }
  ],
  ['replies', () => replies(pool)],
  ['fields', () => fieldNames(pool)],
  ['scores', () => scoreNames(pool)],
  ['what braking does', () => brakeFigures(pool, 1, { email: 86_400_000, sms: 86_400_000 })],
  ['whether sending is stopped', () => halted(pool)],
  ['health', () => health(pool)],
  ...(['mine', 'all', 'due', 'done'] as const).map((view): [string, () => Promise<unknown>] => [
    `tasks: ${view}`,
    () => tasks(pool, view, ['nuala'])
  ]),
  ['what was set aside', () => setAsidePage(pool)],
  ['figures for whoever watches', () => metrics(pool)],
  ['events of a program', () => takeEvents(pool, new SettingsBook(), [EVENT])],
  ['a text that comes in', () => receivedText(pool, { id: 'plan', from: '+447700900999', to: 'x', text: 'hello' })],
  ['what was fetched within seconds', () => decideEarly(pool)],
  [
    'people of a journey that ends, a portion at a time',
    async () => {
      await world.pool.query(
        `insert into crowds (kind, journey_id, version, begins_at, total, asked_by) values ('end', 1, 1, '-infinity', 9, 'test')`
      );
      await workCrowd(pool, new SettingsBook(), 50);
      await world.pool.query(`delete from crowds`);
      await world.pool.query(`delete from happenings where handled_at is null and name = 'end'`);
    }
  ],
  [
    'a batch under settings that ask about everything ever done',
    async () => {
      const saved = await saveSettings(world.pool, SETTINGS, 'test');
      if (!saved.ok) throw new Error(saved.problems.join('; '));
      await world.pool.query(`delete from crowds`);
      await world.pool.query(
        `insert into happenings (person_id, name, at, source, data)
         select id, 'look', (select practice_now from workspace), 'test', '{}' from people where id <= 50`
      );
      await runBatch(pool, new PlanBook(), 100);
    }
  ],
  [
    'the page of somebody who did a great deal',
    async () => {
      await world.pool.query(
        `insert into happenings (person_id, name, at, source, handled_at, data)
         select 7, 'page_seen', $1::timestamptz - make_interval(secs => n), 'site', $1, '{}' from generate_series(1, 20000) as n`,
        [new Date(PRESENT).toISOString()]
      );
      await world.pool.query('analyze happenings');
      expect((await personPage(pool, 7))?.timeline).toHaveLength(500);
    }
  ]
];

it.each(PATHS)('%s reads no large table as a whole', async (_, work) => {
  asked = [];
  await work();
  const statements = asked;
  expect(statements.length).toBeGreaterThan(0);
  for (const statement of statements) {
    // Counting people stops at a number of them, wherever it begins.
    if (/reltuples/.test(statement.text)) continue;
    expect(await readsWhole(statement), statement.text).toEqual([]);
    const { read, given } = await rowsRead(statement);
    expect(read, `${read} rows read, ${given} given: ${statement.text}`).toBeLessThanOrEqual(AT_ALL + FOR_ONE * given);
  }
});

it('has history to speak of', async () => {
  const { rows } = await world.pool.query<{ n: number }>('select count(*) as n from happenings');
  expect(rows[0]!.n).toBeGreaterThanOrEqual(PEOPLE * EACH);
});
