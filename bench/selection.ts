/**
 * selection: one look at the next 10,000 people of a selection by a rule, as many at once are worked off and saved as a file,
 * beside reading the same 10,000 rows without asking anything.
 */
import { now } from '../server/workspace/clock.ts';
import { nextOf } from '../server/selection/selection.ts';
import { SettingsBook } from '../server/workspace/settings.ts';
import { withPeople } from './people.ts';
import { median, type Benchmark } from './row.ts';
import { RULE } from './typed.ts';

const PEOPLE = 100_000;
const PORTION = 2000;

export const selection: Benchmark = (say) =>
  withPeople(PEOPLE, async (pool) => {
    const { workspace } = await new SettingsBook().read(pool);
    const at = await now(pool);
    const [ours, plain]: [number[], number[]] = [[], []];
    let found = 0;
    for (let after = 0, ended = false; !ended;) {
      const from = performance.now();
      const next = await nextOf(pool, { where: RULE }, after, PORTION, at, workspace);
      const between = performance.now();
      await pool.query(
        'select count(email), max(fields::text) from (select * from people where id > $1 order by id limit 10000) as p',
        [after]
      );
      plain.push(performance.now() - between);
      ours.push(between - from);
      found += next.ids.length;
      after = next.last ?? after;
      ended = next.ended || next.last === null;
    }
    say(`${found} of ${PEOPLE} belong; looks of ${ours.map((t) => Math.round(t)).join(' ')} ms`);
    const [a, b] = [median(ours), median(plain)];
    return [{ name: 'a look at 10,000 people', ours: a, reference: b, ratio: a / b, target: 'no target', unit: 'ms' }];
  });
