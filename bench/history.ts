/**
 * history: what a workspace costs after years. The same work at 100,000 and at
 * 20 million happenings, twenty a person: a batch of 500, the sheet's figures,
 * Today, People in each order, one person's page. HISTORY sets the larger size.
 */
import { migrate } from '../server/db/migrate.ts';
import { openPool, type Pool } from '../server/db/pool.ts';
import { runBatch } from '../server/engine/batch.ts';
import { PlanBook } from '../server/engine/plans.ts';
import { setPracticeClock } from '../server/workspace/clock.ts';
import { personPage, searchPeople, SORTS } from '../server/people/people.ts';
import { journeyLines } from '../server/results/journeys-table.ts';
import { sheetFigures } from '../server/results/sheet-figures.ts';
import { today } from '../server/results/today.ts';
import { withCluster } from './database.ts';
import { EACH, fillHistory, PRESENT } from './history-data.ts';
import { median, type Benchmark } from './row.ts';

const SMALL = 100_000;
const LARGE = Number(process.env['HISTORY'] ?? 20_000_000);
const ROUNDS = 7;
const BATCH = 500;

type Work = (pool: Pool, people: number, round: number) => Promise<unknown>;

const WORK: [string, Work][] = [
  ['a batch of 500', (pool) => runBatch(pool, new PlanBook(), BATCH)],
  ['the sheet’s figures', (pool) => sheetFigures(pool, 1, null)],
  ['Today', (pool) => today(pool)],
  ['Journeys', (pool) => journeyLines(pool)],
  ...SORTS.flatMap((sort) =>
    [false, true].map((descending): [string, Work] => [
      `People by ${sort}${descending ? ', from the end' : ''}`,
      (pool) =>
        searchPeople(pool, {
          text: '',
          tag: null,
          sort,
          descending,
          shown: { field: 'town', score: 'interest' }
        })
    ])
  ),
  ['one person’s page', (pool, people, round) => personPage(pool, Math.floor(people / 2) + round)]
];

async function measure(pool: Pool, happenings: number, say: (line: string) => void): Promise<Map<string, number>> {
  const people = happenings / EACH;
  await migrate(pool);
  await fillHistory(pool, people, BATCH * (ROUNDS + 1), (line) => say(`${happenings} happenings, ${line}`));
  await setPracticeClock(pool, PRESENT);
  const times = new Map<string, number>();
  for (const [name, work] of WORK) {
    const taken: number[] = [];
    for (let round = 0; round <= ROUNDS; round++) {
      const began = performance.now();
      await work(pool, people, round);
      // The first fills the caches.
      if (round) taken.push(performance.now() - began);
    }
    times.set(name, median(taken));
    say(`${happenings} happenings, ${name}: ${median(taken).toFixed(1)} ms`);
  }
  return times;
}

export const history: Benchmark = (say) =>
  withCluster(async (cluster) => {
    const results = [];
    for (const happenings of [SMALL, LARGE]) {
      const pool = openPool(await cluster.createDatabase(`history_${happenings}`), 10, 0);
      results.push(await measure(pool, happenings, say));
      await pool.end();
    }
    const [small, large] = results;
    return WORK.map(([name]) => {
      const [reference = NaN, ours = NaN] = [small?.get(name), large?.get(name)];
      return {
        name: `${name}, ${LARGE} happenings`,
        ours,
        reference,
        ratio: ours / reference,
        target: '<= 1.5',
        unit: 'ms'
      };
    });
  });
