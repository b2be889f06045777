/**
 * typed: how long whoever types a rule waits for the figures beside it: the whole and its parts, counted over 100,000 people,
 * against one plain count of the same table.
 */
import type { Condition } from '../core/condition/schema.ts';
import { eachCondition } from '../core/condition/evaluate.ts';
import { countPeople } from '../server/people/counting.ts';
import { SettingsBook } from '../server/settings/settings.ts';
import { withPeople } from './people.ts';
import { median, type Benchmark } from './row.ts';

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
    const [ours, plain]: [number[], number[]] = [[], []];
    for (let i = 0; i < ROUNDS; i++) {
      const from = performance.now();
      await countPeople(pool, settings, parts);
      const between = performance.now();
      await pool.query('select count(*) from people');
      ours.push(between - from);
      plain.push(performance.now() - between);
    }
    say(`${parts.length} figures each time: ${ours.map((t) => Math.round(t)).join(' ')} ms`);
    const [a, b] = [median(ours), median(plain)];
    return [
      {
        name: `a rule of ${parts.length} parts, 100,000 people`,
        ours: a,
        reference: b,
        ratio: a / b,
        target: 'ours <= 1000 ms',
        unit: 'ms'
      }
    ];
  });
