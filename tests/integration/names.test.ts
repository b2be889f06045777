/** Tags, lists and fields renamed, made one, described, taken away; the type of a field changed. What was made before goes on. */
import { afterEach, beforeEach, describe as group, expect, it } from 'vitest';
import type { PersonState } from '../../core/person/state.ts';
import { journey, MONDAY, put, reachable, settings } from '../make.ts';
import { createJourney, journeyByKey } from '../../server/journeys/journeys.ts';
import { catalogue } from '../../server/names/catalogue.ts';
import { describe, makeField, remove } from '../../server/names/describe.ts';
import { rename } from '../../server/names/rename.ts';
import { changeType, typeChange } from '../../server/names/types.ts';
import { importWhole } from '../../server/imports/whole.ts';
import { askChange } from '../../server/people/inputs.ts';
import { readSettings } from '../../server/workspace/settings.ts';
import { saveSettings } from '../../server/settings/save.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());
const someone = (id: string, change: (p: PersonState) => void) =>
  reachable(id, (p) => (p.fields.delete('phone'), change(p)));
const query = async <T extends object>(text: string): Promise<T[]> => (await world.pool.query<T>(text)).rows;
const tags = async () =>
  (await query<{ t: string }>(`select person_id || ' ' || tag as t from person_tags order by 1`)).map((r) => r.t);
const line = async (kind: 'tag' | 'list' | 'field', name: string) =>
  (await catalogue(world.pool, kind)).find((l) => l.name === name);

group('renaming', () => {
  it('a tag: on people, in drafts and settings; live journeys, programs and files that say the former name mean it still', async () => {
    await saveSettings(world.pool, { ...settings({}), segments: [{ name: 'keen', when: { tag: 'in' } }] }, 'test');
    await addPeople(world.pool, [
      someone('a', (p) => p.tags.add('in')),
      someone('b', () => undefined),
      someone('c', () => undefined)
    ]);
    await live(
      world,
      journey([
        { key: 'w', kind: 'wait', for: 'P1D' },
        {
          key: 'b',
          kind: 'branch',
          by: 'rules',
          lanes: [{ label: 'x', when: { tag: 'in' }, lane: [put('yes')] }],
          otherwise: { label: 'others', lane: [put('no')] }
        }
      ])
    );
    await askChange(world.pool, [2], { addTags: ['in'] }, 'test');
    await skipTo(world, MONDAY);
    expect(await rename(world.pool, 'tag', 'in', 'inside', 'Ada')).toEqual({ ok: true, people: 2, drafts: 1 });
    expect(await tags()).toEqual(['1 inside', '2 inside']);
    expect((await readSettings(world.pool))?.segments).toEqual([{ name: 'keen', when: { tag: 'inside' } }]);
    expect(JSON.stringify((await journeyByKey(world.pool, 'try'))?.draft)).not.toContain('"in"');
    // The live version says the former name. Who walks goes on by it, and who gets it gets in, by whatever name it is asked for.
    await askChange(world.pool, [3], { addTags: ['in'] }, 'a program');
    await skipTo(world, MONDAY + 3 * 86_400_000);
    expect((await trailOf(world.pool)).filter((l) => l['what'] === 'entered').map((l) => l.person)).toEqual(['2', '3']);
    expect(await tags()).toEqual(['1 inside', '2 inside', '2 yes', '3 inside', '3 yes']);
    await importWhole(world.pool, Buffer.from('email,tags\nnew@b.example,in\n'));
    await skipTo(world, MONDAY + 6 * 86_400_000);
    expect(await tags()).toContain('4 inside');
    expect(await line('tag', 'inside')).toMatchObject({
      people: 4,
      formerly: ['in'],
      reads: [{ key: 'try' }, { key: 'keen' }]
    });
    expect(await line('tag', 'in')).toBeUndefined();
    // What was called so before is nobody else's name.
    expect(await describe(world.pool, 'tag', 'in', { note: '', optIn: null }, 'Ada')).toMatchObject({ ok: false });
    // And back.
    expect(await rename(world.pool, 'tag', 'inside', 'in', 'Ada')).toMatchObject({ ok: true, people: 4 });
    await askChange(world.pool, [4], { removeTags: ['inside'] }, 'a program');
    await skipTo(world, MONDAY + 7 * 86_400_000);
    expect((await tags()).filter((t) => t.endsWith(' in'))).toEqual(['1 in', '2 in', '3 in']);
  });

  it('what happened under the former name counts for the present one', async () => {
    await addPeople(world.pool, [someone('a', () => undefined)]);
    await askChange(world.pool, [1], { addTags: ['old'] }, 'test');
    await skipTo(world, MONDAY);
    await rename(world.pool, 'tag', 'old', 'new', 'Ada');
    await live(
      world,
      journey(
        [
          {
            key: 'b',
            kind: 'branch',
            by: 'rules',
            lanes: [{ label: 'x', when: { did: 'tag_added', tag: 'new' }, lane: [put('yes')] }],
            otherwise: { label: 'others', lane: [put('no')] }
          }
        ],
        { entry: { on: [{ happening: 'tag_added', tag: 'go' }] } }
      )
    );
    await askChange(world.pool, [1], { addTags: ['go'] }, 'test');
    await skipTo(world, MONDAY + 1000);
    expect(await tags()).toEqual(['1 go', '1 new', '1 yes']);
  });

  it('two lists made one: who is on both is on it once, since the earlier day', async () => {
    await addPeople(world.pool, [
      someone('a', (p) => (p.lists.add('x'), p.lists.add('y'))),
      someone('b', (p) => p.lists.add('x'))
    ]);
    await query(`update person_lists set since = '2020-01-01' where list = 'x'`);
    expect(await rename(world.pool, 'list', 'x', 'y', 'Ada')).toMatchObject({ ok: true, people: 2 });
    expect(
      await query(`select person_id as p, list, extract(year from since) as y from person_lists order by 1`)
    ).toEqual([
      { p: 1, list: 'y', y: 2020 },
      { p: 2, list: 'y', y: 2020 }
    ]);
  });

  it('a field, with its values; own ones and other types are refused', async () => {
    await makeField(world.pool, { name: 'born', type: 'date', options: [] }, 'Ada');
    await makeField(world.pool, { name: 'visits', type: 'number', options: [] }, 'Ada');
    await addPeople(world.pool, [
      someone('a', (p) => p.fields.set('town', 'Here')),
      someone('b', (p) => (p.fields.set('town', 'Old'), p.fields.set('city', 'There')))
    ]);
    await createJourney(
      world.pool,
      journey([{ key: 'e', kind: 'email', subject: 'In {{ person.town }}', text: 'x' }]),
      'test'
    );
    expect(await rename(world.pool, 'field', 'town', 'city', 'Ada')).toMatchObject({ ok: true, people: 2, drafts: 1 });
    expect(await query(`select fields ->> 'city' as city, fields ? 'town' as old from people order by id`)).toEqual([
      { city: 'Here', old: false },
      { city: 'There', old: false }
    ]);
    expect(JSON.stringify((await journeyByKey(world.pool, 'try'))?.draft)).toContain('In {{ person.city }}');
    expect(await rename(world.pool, 'field', 'email', 'mail', 'Ada')).toMatchObject({ ok: false });
    expect(await rename(world.pool, 'field', 'born', 'visits', 'Ada')).toMatchObject({
      ok: false,
      problem: expect.stringContaining('type') as string
    });
    // A file that says the former name fills the present field.
    const { preview } = await importWhole(world.pool, Buffer.from('email,Town\nnew@b.example,Quillmoor\n'));
    expect(preview.made).toBe(1);
    expect(await query(`select fields from people where email = 'new@b.example'`)).toEqual([
      { fields: { city: 'Quillmoor' } }
    ]);
  });
});

group('the catalogue', () => {
  it('says how many, since when, who came and went, what sets and what reads', async () => {
    await addPeople(world.pool, [someone('a', () => undefined), someone('b', () => undefined)]);
    await live(world, journey([put('seen')], { entry: { on: [{ happening: 'tag_added', tag: 'go' }] } }));
    await askChange(world.pool, [1, 2], { addTags: ['go'] }, 'test');
    await skipTo(world, MONDAY);
    await askChange(world.pool, [1], { removeTags: ['go'] }, 'test');
    await skipTo(world, MONDAY + 86_400_000);
    const go = (await line('tag', 'go'))!;
    expect(go).toMatchObject({
      people: 1,
      more: false,
      reads: [{ kind: 'journey', key: 'try', step: null }],
      sets: []
    });
    expect([go.came.reduce((a, b) => a + b), go.went.reduce((a, b) => a + b)]).toEqual([2, 1]);
    expect(go.came.at(-2)! + go.came.at(-1)!).toBe(2);
    expect(await line('tag', 'seen')).toMatchObject({ sets: [{ key: 'try' }], reads: [] });
    await describe(world.pool, 'list', 'letter', { note: 'The monthly letter', optIn: 'double' }, 'Ada');
    expect(await line('list', 'letter')).toMatchObject({ people: 0, note: 'The monthly letter', optIn: 'double' });
  });

  it('an import counts what it puts on', async () => {
    await importWhole(world.pool, Buffer.from('email,tags\na@b.example,x;y\nc@d.example,x\n'), (p) => ({
      ...p,
      begins: false
    }));
    expect((await line('tag', 'x'))?.came.at(-1)).toBe(2);
    expect((await line('tag', 'y'))?.came.at(-1)).toBe(1);
  });

  it('takes away what nothing uses, and says what uses the rest', async () => {
    await addPeople(world.pool, [
      someone('a', (p) => (p.tags.add('free'), p.tags.add('go'), p.fields.set('town', 'Here')))
    ]);
    await createJourney(
      world.pool,
      journey([put('seen')], { name: 'Trial', entry: { on: [{ happening: 'tag_added', tag: 'go' }] } }),
      'test'
    );
    expect(await remove(world.pool, 'tag', 'go', 'Ada')).toEqual({
      ok: false,
      problem: '“go” is used: journey “Trial”. Take it out there first.'
    });
    expect(await remove(world.pool, 'tag', 'free', 'Ada')).toEqual({ ok: true, people: 1 });
    await makeField(world.pool, { name: 'town', type: 'text', options: [] }, 'Ada');
    expect(await remove(world.pool, 'field', 'town', 'Ada')).toEqual({ ok: true, people: 1 });
    expect(await query(`select fields from people`)).toEqual([{ fields: {} }]);
    expect(await remove(world.pool, 'tag', 'nothing', 'Ada')).toMatchObject({ ok: false });
  });

  it('a change of type says what fits and what is lost, then does just that', async () => {
    const values = ['12', '1,5', 'many', '7'];
    await addPeople(
      world.pool,
      values.map((v, i) => someone(`p${i}`, (p) => p.fields.set('visits', v)))
    );
    await makeField(world.pool, { name: 'visits', type: 'text', options: [] }, 'Ada');
    const change = await typeChange(world.pool, 'visits', { type: 'number', decimal: ',' });
    expect(change).toMatchObject({
      fits: 3,
      lost: 1,
      examples: [{ value: 'many', becomes: null, people: 1 }, {}, {}, {}]
    });
    expect(await changeType(world.pool, 'visits', { type: 'number', decimal: ',' }, 'Ada')).toEqual({
      ok: true,
      lost: 1
    });
    expect(await query(`select fields -> 'visits' as v from people order by id`)).toEqual([
      { v: 12 },
      { v: 1.5 },
      { v: null },
      { v: 7 }
    ]);
    expect(await line('field', 'visits')).toMatchObject({
      type: 'number',
      people: 3,
      values: [{ value: '1.5', people: 1 }, {}, {}]
    });
    // Back to text nothing is lost.
    expect(await changeType(world.pool, 'visits', { type: 'text' }, 'Ada')).toEqual({ ok: true, lost: 0 });
    expect(
      (await query<{ v: string }>(`select fields ->> 'visits' as v from people order by id`)).map((r) => r.v)
    ).toEqual(['12', '1.5', null, '7']);
  });
});
