/** people-page: a page of the table of people, anywhere and in every order, beside the first, over a million people. */
import { searchPeople, SORTS, type PeopleSearch, type Place } from '../server/people/people.ts';
import { withPeople } from './people.ts';
import { median, type Benchmark, type Row } from './row.ts';

const PEOPLE = Number(process.env['BENCH_PEOPLE'] ?? 1_000_000);
const TIMES = 15;

export const peoplePage: Benchmark = (say) =>
  withPeople(PEOPLE, async (pool) => {
    await pool.query(`update people set last_name = 'Last' || id % 5000 where id % 10 <> 0`);
    await pool.query(
      `insert into agenda (person_id, worked_at, state, walking, did, did_at)
       select id, now(), '{}', id % 4, 'opened', case when id % 2 = 0 then timestamptz '2027-01-01' + (id || ' seconds')::interval end from people`
    );
    await pool.query('vacuum analyze people');
    await pool.query('analyze');
    const rows: Row[] = [];
    for (const sort of SORTS)
      for (const descending of [false, true]) {
        const search: PeopleSearch = {
          text: '',
          tag: null,
          sort,
          descending,
          shown: { field: 'town', score: 'interest' }
        };
        const timed = async (place: Place | null): Promise<number> => {
          const times: number[] = [];
          for (let i = 0; i < TIMES; i++) {
            const from = performance.now();
            await searchPeople(pool, { ...search, place });
            times.push(performance.now() - from);
          }
          return median(times);
        };
        const first = await timed(null);
        // In the middle of those with a value, among those without one, and the last page.
        const { rows: middle } = await pool.query<{ value: string; id: number }>(MIDDLE[sort], [
          Math.floor(PEOPLE / 3)
        ]);
        const places: [string, Place][] = [
          ['middle', { way: 'after', value: middle[0]?.value ?? null, id: middle[0]?.id ?? 1 }],
          ['without', { way: 'after', value: null, id: Math.round(PEOPLE * 0.6) }],
          ['back', { way: 'before', value: null, id: Math.round(PEOPLE * 0.6) }]
        ];
        let worst: [string, number] = ['', 0];
        for (const [name, place] of places) {
          const took = await timed(place);
          if (took > worst[1]) worst = [name, took];
        }
        say(
          `${sort}${descending ? ' down' : ''}: first ${first.toFixed(1)} ms, slowest ${worst[0]} ${worst[1].toFixed(1)} ms`
        );
        rows.push({
          name: `by ${sort}${descending ? ', downwards' : ''}: slowest page`,
          ours: worst[1],
          reference: first,
          ratio: worst[1] / first,
          target: '<= 1.5',
          unit: 'ms'
        });
      }
    return rows;
  });

const MIDDLE = {
  name: `select lower(last_name) as value, id from people where last_name is not null order by lower(last_name), id offset $1::integer limit 1`,
  email: `select lower(email) as value, id from people order by lower(email), id offset $1::integer limit 1`,
  score: `select points::text as value, person_id as id from scores where score = 'interest' order by points, person_id offset $1::integer limit 1`,
  last: `select did_at::text as value, person_id as id from agenda where did_at is not null order by did_at, person_id offset $1::integer limit 1`,
  walking: `select walking::text as value, person_id as id from agenda where walking > 0 order by walking, person_id offset $1::integer limit 1`
} satisfies Record<(typeof SORTS)[number], string>;
