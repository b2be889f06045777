/**
 * doubles: a search for doubles over everybody, portion by portion, beside reading everybody's addresses, numbers and names once;
 * and two people made one, beside as many plain updates of rows.
 */
import { compare } from '../server/people/compare.ts';
import { askSearch, groupsOf, workDoubles } from '../server/people/doubles.ts';
import { merge } from '../server/people/merge.ts';
import { SettingsBook } from '../server/workspace/settings.ts';
import { withPeople } from './people.ts';
import { median, type Benchmark } from './row.ts';

const PEOPLE = Number(process.env['BENCH_PEOPLE'] ?? 300_000);
const MERGED = 20;

export const doubles: Benchmark = (say) =>
  withPeople(PEOPLE, async (pool) => {
    await pool.query(`update people set first_name = 'F' || id % 500, last_name = 'L' || id % 4999`);
    await pool.query(
      `insert into people (email, created_at, updated_at) select 'p' || n || '+x@people.example', now(), now() from generate_series(1, 200) n`
    );
    await pool.query('vacuum analyze people');
    const begun = performance.now();
    await pool.query(
      `select count(lower(email)), count(phone), count(lower(first_name) || lower(last_name)), count(fields ->> 'town') from people`
    );
    const read = performance.now() - begun;
    await askSearch(pool, 'town', 'bench');
    const portions: number[] = [];
    for (;;) {
      const from = performance.now();
      if (!(await workDoubles(pool))) break;
      portions.push(performance.now() - from);
    }
    const whole = portions.reduce((a, b) => a + b, 0);
    const { groups, counts } = await groupsOf(pool, { why: null, after: null, field: 'town' });
    say(
      `${portions.length} portions, the longest ${Math.round(Math.max(...portions))} ms; ${JSON.stringify(counts)} groups`
    );
    const settings = new SettingsBook();
    const [made, plain]: [number[], number[]] = [[], []];
    for (const { people } of groups.filter((g) => g.people.length > 1).slice(0, MERGED)) {
      const [one, other] = [people[0]?.id ?? 0, people[1]?.id ?? 0];
      const seen = (await compare(pool, one, other))?.seen;
      if (seen === undefined) continue;
      const from = performance.now();
      await merge(pool, settings, { one, other, choose: {}, seen }, 'bench');
      const between = performance.now();
      for (const table of ['people', 'people', 'people', 'people', 'people'])
        await pool.query(`update ${table} set updated_at = now() where id = $1`, [one]);
      plain.push(performance.now() - between);
      made.push(between - from);
    }
    const [a, b] = [median(made), median(plain)];
    return [
      {
        name: `a search for doubles over ${PEOPLE.toLocaleString('en')} people`,
        ours: whole,
        reference: read,
        ratio: whole / read,
        target: 'no target',
        unit: 'ms'
      },
      {
        name: 'two people made one; five updates',
        ours: a,
        reference: b,
        ratio: a / b,
        target: 'no target',
        unit: 'ms'
      }
    ];
  });
