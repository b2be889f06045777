/**
 * typed: how long whoever types a rule waits for the figures beside it: the whole at once, then its parts, counted over 100,000 people,
 * against one plain count of the same table.
 */
import type { Condition } from '../core/condition/schema.ts';
import { eachCondition } from '../core/condition/evaluate.ts';
import { countPeople } from '../server/people/counting.ts';
import { SettingsBook } from '../server/workspace/settings.ts';
import { withPeople } from './people.ts';
import { median, type Benchmark, type Row } from './row.ts';

const PEOPLE = 100_000;
const ROUNDS = 7;
export const RULE: Condition = {
  all: [
    { tag: 'member' },
    { field: 'town', is: 'Quillmoor' },
    { consent: 'email' },
    {
      any: [
        { score: 'interest', gte: 50 },
        { field: 'visit', last: 'P1M' },
        { did: 'page_seen', last: 'P1M' }
      ]
    },
    { not: { tag: 'staff' } }
  ]
};

export const typed: Benchmark = (say) =>
  withPeople(PEOPLE, async (pool) => {
    const settings = new SettingsBook();
    const parts = eachCondition(RULE);
    const [whole, ours, plain]: [number[], number[], number[]] = [[], [], []];
    for (let i = 0; i < ROUNDS; i++) {
      const begun = performance.now();
      await countPeople(pool, settings, [RULE]);
      const from = performance.now();
      await countPeople(pool, settings, parts);
      const between = performance.now();
      await pool.query('select count(*) from people');
      whole.push(from - begun);
      ours.push(between - from);
      plain.push(performance.now() - between);
    }
    say(`${parts.length} figures each time: ${ours.map((t) => Math.round(t)).join(' ')} ms`);
    const b = median(plain);
    const row = (name: string, ms: number, most: number): Row => ({
      name,
      ours: ms,
      reference: b,
      ratio: ms / b,
      target: `ours <= ${most} ms`,
      unit: 'ms'
    });
    return [
      row('how many meet a rule, 100,000 people', median(whole), 300),
      row(`and each of its ${parts.length} parts`, median(ours), 1000)
    ];
  });
