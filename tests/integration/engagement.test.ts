/** Ladders and score models changed: what would become of everybody beforehand, what does become of them, and that nobody hears of it. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { modelOf, removeModel, saveModel, usesOf, withModel } from '../../server/engagement/models.ts';
import { MOST_PAST } from '../../server/engine/bounds.ts';
import { loadPast } from '../../server/engine/past.ts';
import { outlook, type Outlook } from '../../server/engagement/preview.ts';
import { askChange } from '../../server/people/inputs.ts';
import { personPage } from '../../server/people/people.ts';
import { readSaved } from '../../server/workspace/settings.ts';
import { saveSettings } from '../../server/settings/save.ts';
import type { ScoreSettings, Settings } from '../../core/settings/schema.ts';
import { DAYS, journey, mail, MONDAY, put, reachable, wait } from '../make.ts';
import { addPeople, live, openWorld, react, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());
const query = async <T extends object>(sql: string): Promise<T[]> => (await world.pool.query<T>(sql)).rows;

const model = (add: number, rest: Partial<ScoreSettings> = {}): ScoreSettings => ({
  name: 'interest',
  rules: [{ when: { happening: 'opened' }, add }],
  ...rest
});
const LADDER = {
  name: 'warmth',
  counts: [{ happening: 'opened' as const }],
  rungs: [{ name: 'warm', upTo: 'P10D' }],
  after: 'cold'
};
const settings = (rest: Partial<Settings>): Settings => ({
  format: 'ambulo.settings/1',
  segments: [{ name: 'fans', when: { score: 'interest', gte: 1000 } }],
  ...rest
});

/** Two of three open a mail, one of them again five days later; a step gives 10 points to all. */
async function lives(begin: Settings): Promise<void> {
  expect(await saveSettings(world.pool, begin, 'Ada')).toEqual({ ok: true });
  await addPeople(
    world.pool,
    ['a', 'b', 'c'].map((id, i) => reachable(id, (p) => p.fields.set('phone', `+44770090000${i}`)))
  );
  await live(
    world,
    journey([mail('m1'), { key: 's', kind: 'score', score: 'interest', add: 10 }, wait('w', 'P30D'), put('done')]),
    journey([put('heard')], {
      key: 'ears',
      entry: { again: 'each', on: [{ happening: 'rung_changed' }, { happening: 'segment_joined', segment: 'fans' }] }
    })
  );
  await askChange(world.pool, [1, 2, 3], { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY + 1000);
  await react(world, 1, 'm1', 'opened');
  await react(world, 2, 'm1', 'opened');
  await skipTo(world, MONDAY + 5 * DAYS);
  await react(world, 1, 'm1', 'opened');
  await skipTo(world, MONDAY + 12 * DAYS);
}

async function ask(kind: 'score' | 'ladder', definition: object): Promise<Outlook> {
  const { settings: before } = await readSaved(world.pool);
  const changed = withModel(before, kind, definition);
  if (!changed.ok) throw new Error(changed.problems.join());
  return outlook(
    world.pool,
    { kind, name: (definition as { name: string }).name, before, after: changed.settings },
    () => undefined
  );
}
const points = (): Promise<{ points: number }[]> => query('select points from scores order by person_id');
const heard = async (): Promise<number> => (await trailOf(world.pool)).filter((l) => l['journey'] === 'ears').length;

describe('a score model', () => {
  it('is worked out anew from what is on record, steps included, as it was said before', async () => {
    await lives(settings({ scores: [model(5)] }));
    expect(await points()).toEqual([{ points: 20 }, { points: 15 }, { points: 10 }]);
    const next = model(2, { rules: [{ when: { happening: 'opened' }, add: 2, atMost: { points: 2, per: 'P10D' } }] });
    const said = await ask('score', next);
    expect(said).toMatchObject({
      looked: 3,
      total: 3,
      moved: 2,
      today: { 20: 1, 15: 1, 10: 1 },
      then: { 12: 2, 10: 1 }
    });
    // Looking changes nobody.
    expect(await points()).toEqual([{ points: 20 }, { points: 15 }, { points: 10 }]);
    const { revision } = await readSaved(world.pool);
    expect(await saveModel(world.pool, 'score', next, 'Ada', revision)).toEqual({ ok: true });
    await skipTo(world, MONDAY + 12 * DAYS + 1000);
    expect(await points()).toEqual([{ points: 12 }, { points: 12 }, { points: 10 }]);
    // What happens from then on adds to that.
    await react(world, 3, 'm1', 'opened');
    await skipTo(world, MONDAY + 13 * DAYS);
    expect((await points())[2]).toEqual({ points: 12 });
    expect((await ask('score', next)).moved).toBe(0);
  });

  it('is worked out in smaller parts where people have too much on record to be read at once', async () => {
    await lives(settings({ scores: [model(5)] }));
    const { together } = MOST_PAST;
    MOST_PAST.together = 2;
    try {
      const next = model(2);
      expect((await ask('score', next)).then).toEqual({ 14: 1, 12: 1, 10: 1 });
      await saveModel(world.pool, 'score', next, 'Ada', (await readSaved(world.pool)).revision);
      await skipTo(world, MONDAY + 12 * DAYS + 1000);
      expect(await points()).toEqual([{ points: 14 }, { points: 12 }, { points: 10 }]);
      expect((await world.pool.query('select from set_aside')).rowCount).toBe(0);
    } finally {
      MOST_PAST.together = together;
    }
    // Of one who has more than is ever read, it is the latest.
    const read = async (one: number) => {
      const past = await loadPast(world.pool, [1], new Set(['opened']), world.engine.plans, {
        most: { one, together }
      });
      return past
        .get(1)
        ?.flatMap((p) => ('happening' in p ? [(p.at - MONDAY) / DAYS] : []))
        .map(Math.floor);
    };
    expect(await read(100)).toEqual([0, 5]);
    expect(await read(1)).toEqual([5]);
  });

  it('that is new counts what happened before it was there, with its decay', async () => {
    await lives(settings({}));
    const next = { ...model(8, { decay: { by: 3, every: 'P5D' } }), name: 'fresh' };
    const said = await ask('score', next);
    // Opened on day 0 and 5, looked at on day 12: one decay for the first, two for the second.
    expect(said.then).toEqual({ 13: 1, 2: 1, 0: 1 });
    await saveModel(world.pool, 'score', next, 'Ada', (await readSaved(world.pool)).revision);
    await skipTo(world, MONDAY + 12 * DAYS + 1000);
    expect(await query(`select person_id::integer as id, points from scores where score = 'fresh' order by 1`)).toEqual(
      [
        { id: 1, points: 13 },
        { id: 2, points: 2 }
      ]
    );
    expect((await personPage(world.pool, 2))?.scores).toContainEqual({ score: 'interest', points: 10 });
  });

  it('that did not change stays as it is, whatever else is saved', async () => {
    await lives(settings({ scores: [model(5)] }));
    await world.pool.query('delete from happenings where person_id = 1');
    await saveModel(world.pool, 'ladder', LADDER, 'Ada', (await readSaved(world.pool)).revision);
    await skipTo(world, MONDAY + 12 * DAYS + 1000);
    expect((await points())[0]).toEqual({ points: 20 });
  });

  it('moves segments without anybody having joined them', async () => {
    await lives(settings({ scores: [model(1)], segments: [{ name: 'fans', when: { score: 'interest', gte: 30 } }] }));
    await saveModel(world.pool, 'score', model(20), 'Ada', (await readSaved(world.pool)).revision);
    await skipTo(world, MONDAY + 12 * DAYS + 1000);
    expect(await query('select person_id::integer as id from person_segments order by 1')).toEqual([
      { id: 1 },
      { id: 2 }
    ]);
    expect(await heard()).toBe(0);
  });
});

describe('a ladder', () => {
  const rungs = (): Promise<{ rung: string | null }[]> =>
    query(`select (select r -> 1 ->> 'rung' from jsonb_array_elements(state -> 'rungs') as r where r ->> 0 = 'warmth') as rung
      from agenda order by person_id`);

  it('puts everybody where they would have come to, and no journey hears of it', async () => {
    await lives(settings({ ladders: [LADDER] }));
    expect(await rungs()).toEqual([{ rung: 'warm' }, { rung: 'cold' }, { rung: null }]);
    const before = await heard();
    const next = {
      ...LADDER,
      rungs: [
        { name: 'hot', upTo: 'P3D' },
        { name: 'warm', upTo: 'P20D' }
      ]
    };
    expect(await ask('ladder', next)).toMatchObject({
      today: { warm: 1, cold: 1, '': 1 },
      then: { warm: 2, '': 1 },
      moved: 1
    });
    await saveModel(world.pool, 'ladder', next, 'Ada', (await readSaved(world.pool)).revision);
    await skipTo(world, MONDAY + 12 * DAYS + 1000);
    expect(await rungs()).toEqual([{ rung: 'warm' }, { rung: 'warm' }, { rung: null }]);
    expect(await heard()).toBe(before);
    // From then on they go down by it, and that is heard of.
    await skipTo(world, MONDAY + 26 * DAYS);
    expect(await rungs()).toEqual([{ rung: 'cold' }, { rung: 'cold' }, { rung: null }]);
    expect(await heard()).toBeGreaterThan(before);
  });
});

describe('what is wrong', () => {
  it('is said by its place in the model, and nothing is saved', async () => {
    await saveSettings(world.pool, settings({ ladders: [LADDER] }), 'Ada');
    const { revision } = await readSaved(world.pool);
    const wrong = {
      ...LADDER,
      rungs: [
        { name: 'a', upTo: 'P9D' },
        { name: 'b', upTo: 'P3D' }
      ]
    };
    expect(await saveModel(world.pool, 'ladder', wrong, 'Ada', revision)).toEqual({
      ok: false,
      problems: [expect.stringMatching(/^rungs: .*expected "upTo" to ascend from rung to rung$/)]
    });
    expect(await saveModel(world.pool, 'ladder', null, 'Ada', revision)).toMatchObject({ ok: false });
    expect(await saveModel(world.pool, 'ladder', LADDER, 'Ada', revision - 1)).toMatchObject({ ok: false });
    expect((await readSaved(world.pool)).revision).toBe(revision);
  });

  it('one that is used is not taken away', async () => {
    await lives(
      settings({ scores: [model(5)], ladders: [LADDER], segments: [{ name: 'fans', when: { rung: 'warm' } }] })
    );
    const { settings: saved, revision } = await readSaved(world.pool);
    expect((await usesOf(world.pool, saved, modelOf(saved, 'score', 'interest')!)).map((u) => u.key)).toEqual(['try']);
    expect((await usesOf(world.pool, saved, modelOf(saved, 'ladder', 'warmth')!)).map((u) => u.key)).toEqual([
      'fans',
      'ears'
    ]);
    expect(await removeModel(world.pool, 'score', 'interest', 'Ada', revision)).toMatchObject({ ok: false });
    await saveModel(world.pool, 'score', { ...model(1), name: 'unused' }, 'Ada', revision);
    expect(await removeModel(world.pool, 'score', 'unused', 'Ada', revision + 1)).toEqual({ ok: true });
    expect(await removeModel(world.pool, 'score', 'unused', 'Ada', revision + 2)).toMatchObject({ ok: false });
  });
});
