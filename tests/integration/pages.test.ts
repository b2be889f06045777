/** Lists of people page by page, by key: every order, both ways, with equals and with people who have no value. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { PER_PAGE, searchPeople, SORTS, type PeopleSearch, type Place } from '../../server/people/people.ts';
import { openWorld, type World } from './world.ts';

let world: World;
const PEOPLE = PER_PAGE * 3 + 7;
beforeAll(async () => {
  world = await openWorld();
  const { pool } = world;
  await pool.query(
    `insert into people (email, phone, last_name, created_at, updated_at)
     select case when n % 3 <> 0 then 'P' || (n * 7919 % 1000) || '-' || n || '@b.example' end, '+44770090' || lpad(n::text, 4, '0'),
       case when n % 4 <> 0 then (array['Ash', 'ash', 'Birch', 'Å', ''])[1 + n % 5] end, now(), now()
     from generate_series(1, $1::integer) n`,
    [PEOPLE]
  );
  await pool.query(
    `insert into scores select id, 'interest', (array[5, 5, 5.25, -1e-9, 1e15])[1 + id % 5], now() from people where id % 5 <> 3`
  );
  await pool.query(
    `insert into agenda (person_id, worked_at, state, walking, did, did_at)
     select id, now(), '{}', id % 3, 'opened', case when id % 2 = 0 then timestamptz '2027-03-01 10:00:00.123456+00' + (id % 7) * interval '1 microsecond' end
     from people where id % 6 <> 0`
  );
});
afterAll(() => world.close());

describe.each(SORTS)('by %s', (sort) => {
  it.each([false, true])('everybody once, there and back the same (downwards: %s)', async (descending) => {
    const search: PeopleSearch = { text: '', tag: null, sort, descending, shown: { field: null, score: 'interest' } };
    const forth: number[][] = [];
    const places: (Place | null)[] = [];
    let place: Place | null = null;
    do {
      const found = await searchPeople(world.pool, { ...search, place });
      forth.push(found.people.map((p) => p.id));
      places.push(found.before);
      place = found.after;
    } while (place && forth.length < 9);
    expect(forth.map((p) => p.length)).toEqual([PER_PAGE, PER_PAGE, PER_PAGE, 7]);
    expect(new Set(forth.flat()).size).toBe(PEOPLE);
    expect(places[0]).toBeNull();
    const back: number[][] = [];
    for (let at = places.at(-1) ?? null; at && back.length < 9;) {
      const found = await searchPeople(world.pool, { ...search, place: at });
      back.unshift(found.people.map((p) => p.id));
      expect(found.after).not.toBeNull();
      at = found.before;
    }
    expect(back).toEqual(forth.slice(0, -1));
  });
});

it('those without a value come last, either way', async () => {
  const last = async (descending: boolean): Promise<(number | null)[]> => {
    const scores: (number | null)[] = [];
    let place: Place | null = null;
    do {
      const found = await searchPeople(world.pool, {
        text: '',
        tag: null,
        sort: 'score',
        descending,
        shown: { field: null, score: 'interest' },
        place
      });
      scores.push(...found.people.map((p) => p.score));
      place = found.after;
    } while (place);
    return scores;
  };
  for (const descending of [false, true]) {
    const scores = await last(descending);
    const first = scores.indexOf(null);
    expect(scores.slice(first).every((s) => s === null)).toBe(true);
    const values = scores.slice(0, first).map(Number);
    expect(values).toEqual([...values].sort((a, b) => (descending ? b - a : a - b)));
  }
});

it('somebody who is gone meanwhile takes no page with them', async () => {
  const search: PeopleSearch = {
    text: '',
    tag: null,
    sort: 'name',
    descending: false,
    shown: { field: null, score: null }
  };
  const first = await searchPeople(world.pool, search);
  const second = await searchPeople(world.pool, { ...search, place: first.after });
  await world.pool.query('delete from people where id = $1', [first.after!.id]);
  expect((await searchPeople(world.pool, { ...search, place: first.after })).people.map((p) => p.id)).toEqual(
    second.people.map((p) => p.id)
  );
});
