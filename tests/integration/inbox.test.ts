/** What comes in by any door: one shape, one rule for addresses, names that are keys of every object, and nobody who waits for a flood. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { journey, MONDAY, put, reachable } from '../make.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { dropRequest } from '../../server/engine/set-aside.ts';
import { settle } from '../../server/running/skip.ts';
import { importWhole } from '../../server/imports/whole.ts';
import { takeEvents } from '../../server/intake/events.ts';
import { unsubscribed } from '../../server/intake/intake.ts';
import { signToken } from '../../server/intake/token.ts';
import { addNote, setField } from '../../server/people/by-hand.ts';
import { exported } from '../../server/people/export.ts';
import { askChange } from '../../server/people/inputs.ts';
import { personPage } from '../../server/people/people.ts';
import { everythingOf } from '../../server/protection/everything.ts';
import { messagesAhead } from '../../server/results/ahead.ts';
import { setAsidePage } from '../../server/results/aside.ts';
import { today } from '../../server/results/today.ts';
import { SettingsBook } from '../../server/workspace/settings.ts';
import { addPeople, live, openWorld, skipTo, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());
const query = async <T extends object>(words: string, ...values: unknown[]): Promise<T[]> =>
  (await world.pool.query<T>(words, values)).rows;

const settings = new SettingsBook();
let count = 0;
const event = (type: string, subject: string, data: object, time = new Date(MONDAY).toISOString()): object => ({
  specversion: '1.0',
  id: `e${++count}`,
  source: 'shop',
  type: `ambulo.${type}`,
  time,
  subject,
  data
});
const tell = (...events: object[]) => takeEvents(world.pool, settings, events);
const set = (person: number, fields: object): object => event('set', String(person), { fields });
const emails = async (): Promise<(string | null)[]> =>
  (await query<{ email: string | null }>('select email from people order by id')).map((r) => r.email);
const two = () =>
  addPeople(world.pool, [reachable('a'), reachable('b', (p) => void p.fields.set('phone', '+447700900222'))]);

describe('an address told by a program', () => {
  it.each<[string, object]>([
    ['a list', { email: 'a@x.example, b@y.example' }],
    ['with a line end', { email: 'a@b.example>\r\nBcc: evil@x.example' }],
    ['with a name', { email: 'Ada <a@x.example>' }],
    ['a number that is none', { phone: '12' }],
    ['no text at all', { email: 7 }],
    ['that somebody else has', { email: 'B@people.example' }],
    ['cleared, and the other with it', { email: null, phone: null }]
  ])('is refused at the door: %s', async (_, fields) => {
    await two();
    const taken = await tell(set(1, fields), event('page_seen', '2', { url: '/' }));
    expect(taken).toMatchObject({ taken: 1, refused: [{ index: 0 }] });
    await settle(world.engine, false);
    expect(await emails()).toEqual(['a@people.example', 'b@people.example']);
    expect(await query('select from set_aside')).toEqual([]);
  });
  it('is taken in the form in which it is kept', async () => {
    await two();
    expect(await tell(set(1, { email: '  NEW@People.Example ', phone: '+44 7700 900333' }))).toMatchObject({
      taken: 1
    });
    await settle(world.engine, false);
    expect(await query('select email, phone from people where id = 1')).toEqual([
      { email: 'new@people.example', phone: '+447700900333' }
    ]);
  });
  it('given to two people in one request, in whatever letter case, is the first one’s', async () => {
    await two();
    const taken = await tell(set(1, { email: 'new@people.example' }), set(2, { email: 'NEW@people.example' }));
    expect(taken).toMatchObject({ taken: 1, refused: [{ index: 1 }] });
  });
  it('that came to be somebody else’s while it waited is left out, and told on the record; the rest is done', async () => {
    await two();
    await tell(event('set', '1', { fields: { email: 'new@people.example', town: 'Ennis' } }));
    await tell(event('set', '2', { fields: { email: 'new@people.example' } }));
    await askChange(world.pool, [1], { fields: { phone: null }, addTags: ['x'] }, 'Nuala');
    await query(
      `insert into happenings (person_id, name, at, source, data) values (1, 'set', $1, 'test', '{"fields":{"email":null}}')`,
      new Date(MONDAY)
    );
    await settle(world.engine, false);
    expect(await query('select from set_aside')).toEqual([]);
    expect(await query('select id, email, phone, fields from people order by id')).toEqual([
      { id: 1, email: 'new@people.example', phone: null, fields: { town: 'Ennis' } },
      { id: 2, email: 'b@people.example', phone: '+447700900222', fields: {} }
    ]);
    const told = async (person: number) =>
      (await personPage(world.pool, person))?.timeline
        .filter((l) => l.what === 'field_refused')
        .map((l) => l.detail['why']);
    expect(await told(1)).toEqual(['it is all they can be reached by']);
    expect(await told(2)).toEqual(['somebody else has it']);
  });
});

/** Keys that every object has without having them, and keys that change what it is. */
const NAMES = [
  'constructor',
  '__proto__',
  'prototype',
  'toString',
  'valueOf',
  'hasOwnProperty',
  'isPrototypeOf',
  'propertyIsEnumerable',
  'toLocaleString',
  '__defineGetter__',
  '__defineSetter__',
  '__lookupGetter__',
  '__lookupSetter__',
  'length',
  'name',
  'arguments',
  'caller',
  'apply',
  'call',
  'then'
];

describe('names that are keys of every object', () => {
  it('come in and go out by every door like any other', async () => {
    await two();
    await live(
      world,
      journey([put('seen')], { entry: { on: [{ happening: 'field_changed', field: 'constructor' }] } })
    );
    // By a program: fields, tags, answers of forms, and events that are called so.
    for (const name of NAMES) {
      const fields = Object.fromEntries([[name, 'x']]);
      expect([name, await tell(event('set', '1', { fields, addTags: [name], addLists: [name] }))]).toMatchObject([
        name,
        { taken: 1 }
      ]);
      expect(
        await tell(
          event('form_sent', '1', { form: name, answers: fields }),
          event('custom', '1', { name, data: fields })
        )
      ).toMatchObject({ taken: 2 });
      expect((await tell(event(name, '1', {}), event('page_seen', '2', { url: '/' }))).refused).toMatchObject([
        { index: 0 }
      ]);
      // By hand.
      expect(await setField(world.pool, 2, name, 'y', 'Nuala')).toEqual({ ok: true });
    }
    await settle(world.engine, false);
    expect(await query('select error from set_aside')).toEqual([]);
    const known = await query<{ id: number; keys: string[] }>(
      'select id, array(select jsonb_object_keys(fields)) as keys from people where id <= 2 order by id'
    );
    for (const { keys } of known) expect([...keys].sort()).toEqual([...NAMES].sort());
    expect(await query(`select tag from person_tags where tag = 'seen'`)).toHaveLength(2);
    // By a file: as names of columns, for somebody new and for somebody known who has none of them.
    const header = ['email', ...NAMES].join(',');
    const line = (email: string) => [email, ...NAMES.map(() => 'z')].join(',');
    const { preview } = await importWhole(
      world.pool,
      Buffer.from(`${header}\n${line('c@people.example')}\n${line('a@people.example')}\n`)
    );
    expect(preview).toMatchObject({ made: 1, changed: 1 });
    await skipTo(world, MONDAY);
    await addPeople(world.pool, [reachable('d', (p) => void p.fields.set('phone', '+447700900444'))]);
    // Out again: as a file, as a page, as all that is kept of somebody.
    for (const format of ['csv', 'ndjson'] as const) {
      let text = '';
      for await (const part of exported(world.pool, settings, {}, format, NAMES)) text += part;
      expect(text.trim().split('\n')).toHaveLength(format === 'csv' ? 5 : 4);
      expect(text).not.toContain('native code');
    }
    expect((await personPage(world.pool, 4))?.fields).toEqual({});
    expect(await everythingOf(world.pool, 1, 'desk@quillmoor.example')).not.toBeNull();
    // And each can be cleared, those that a file brought by a plainer name as well.
    const [own] = await query<{ keys: string[] }>(
      'select array(select jsonb_object_keys(fields)) as keys from people where id = 1'
    );
    for (const name of own!.keys) expect(await setField(world.pool, 1, name, '', 'Nuala')).toEqual({ ok: true });
    await settle(world.engine, false);
    expect(await query('select fields from people where id = 1')).toEqual([{ fields: {} }]);
  });
  it('an event of the year 0000 is refused, and the others are taken', async () => {
    await two();
    const others = Array.from({ length: 20 }, () => event('page_seen', '1', { url: '/' }));
    expect(await tell(event('page_seen', '1', { url: '/' }, '0000-01-01T00:00:00Z'), ...others)).toMatchObject({
      taken: 20,
      refused: [{ index: 0 }]
    });
  });
  it('a NUL in a cell is told with its line, and the other rows are good', async () => {
    const { preview } = await importWhole(
      world.pool,
      Buffer.from('email,town\na@b.example,En\0nis\nc@d.example,Sligo\n')
    );
    expect(preview).toMatchObject({ made: 1, refused: 1, refusedFirst: [{ line: 2, column: 'town' }] });
  });
});

describe('what waits', () => {
  it('for one who is told of by the thousand keeps the others waiting for no more than a batch', async () => {
    await addPeople(
      world.pool,
      Array.from({ length: 30 }, (_, i) =>
        reachable(`p${i}`, (p) => void p.fields.set('phone', `+4477009${10000 + i}`))
      )
    );
    await query(
      `insert into happenings (person_id, name, at, source, data) select 1, 'page_seen', $1, 'test', '{"url":"/"}' from generate_series(1, 5000)`,
      new Date(MONDAY)
    );
    await askChange(
      world.pool,
      Array.from({ length: 29 }, (_, i) => i + 2),
      { addTags: ['in'] },
      'test'
    );
    await runBatch(world.pool, world.engine.plans);
    expect(await query(`select from person_tags where tag = 'in'`)).toHaveLength(29);
    expect((await query(`select from happenings where person_id = 1 and handled_at is null`)).length).toBeGreaterThan(
      4000
    );
  });

  it('and makes somebody’s work fail can be dropped, and stays on their record; what happened cannot', async () => {
    await two();
    await query(
      `insert into happenings (person_id, name, at, source, data) values (1, 'set', $1, 'import', '{"addTags":["good"]}'),
        (1, 'set', $1, 'import', '{"addTags":"no list"}'), (1, 'set', $1, 'Nuala', '{"addTags":["later"]}')`,
      new Date(MONDAY)
    );
    await runBatch(world.pool, world.engine.plans);
    // Pages that look ahead look on.
    expect((await today(world.pool)).needs.filter((n) => n.kind === 'aside')).toHaveLength(1);
    await query(
      `insert into agenda (person_id, next_at, worked_at, state) values (1, $1, $1, '{}')
       on conflict (person_id) do update set next_at = excluded.next_at`,
      new Date(MONDAY + 1000)
    );
    expect(await messagesAhead(world.pool)).toBeDefined();
    await query('update set_aside set next_try = clock_timestamp()');
    // One at a time: what is good is done, and what is not is the first that waits.
    await runBatch(world.pool, world.engine.plans);
    await runBatch(world.pool, world.engine.plans);
    expect(await query('select tag from person_tags')).toEqual([{ tag: 'good' }]);
    const [line] = (await setAsidePage(world.pool)).aside;
    expect(line).toMatchObject({
      error: expect.stringMatching(/addTags/) as string,
      jamming: { name: 'set', source: 'import' }
    });
    const { id } = line!.jamming!;
    expect(await dropRequest(world.pool, 1, id + 1, 'Nuala')).toBe(false);
    expect(await dropRequest(world.pool, 1, id, 'Nuala')).toBe(true);
    expect(await dropRequest(world.pool, 1, id, 'Nuala')).toBe(false);
    await settle(world.engine, false);
    expect(await query('select tag from person_tags order by 1')).toEqual([{ tag: 'good' }, { tag: 'later' }]);
    expect(await query('select from set_aside')).toEqual([]);
    expect((await personPage(world.pool, 1))?.timeline.filter((l) => l.what === 'note')).toMatchObject([
      { detail: { by: 'Nuala', words: expect.stringMatching(/^Dropped, .* set by import, .*no list/) as string } }
    ]);
    await addNote(world.pool, 1, 'Seen.', 'Nuala');
    // A withdrawal is nothing that could be dropped.
    expect(
      await unsubscribed(world.pool, signToken(world.secret, 'unsubscribe', { person: 1, message: 0, number: 1 }))
    ).toBe(true);
    await query(
      `insert into set_aside (person_id, error, attempts, next_try) values (1, 'x', 1, now() + interval '1 hour')`
    );
    expect((await setAsidePage(world.pool)).aside[0]?.jamming).toBeNull();
  });
});

it('whoever goes round journeys twenty times within a minute is told on Today, with what breaks it', async () => {
  await two();
  await live(world, journey([put('x')]), { ...journey([put('y')]), key: 'other', name: 'The other' });
  await query(
    `insert into walks (person_id, id, journey_id, version, state, at_step, begun_by, entered_at)
     select 1, n, 1 + n % 2, 1, 'finished', -1, 'tag_added', $1 from generate_series(1, 40) as n`,
    new Date(MONDAY)
  );
  expect((await today(world.pool)).needs.filter((n) => n.kind === 'round')).toMatchObject([
    {
      title: expect.stringMatching(/has gone round .* 20 times within a minute/) as string,
      detail: expect.stringMatching(/Together with/) as string
    },
    { detail: expect.stringMatching(/Close one of them to new people/) as string }
  ]);
  await query(`update walks set entered_at = entered_at - interval '1 hour'`);
  expect((await today(world.pool)).needs.filter((n) => n.kind === 'round')).toEqual([]);
});
