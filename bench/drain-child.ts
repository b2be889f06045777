/** A process of its own that works batches off until it is ended: `DATABASE_URL`. Says after each how many lines it wrote. */
import { openPool } from '../server/db/pool.ts';
import { runBatch } from '../server/engine/batch.ts';
import { PlanBook } from '../server/engine/plans.ts';
import { BATCH } from './engine.ts';

const pool = openPool(process.env['DATABASE_URL'] ?? '', 10, 0);
const plans = new PlanBook();
process.on('disconnect', () => process.exit(0));
process.send?.('ready');
for (;;) {
  const { people, lines } = await runBatch(pool, plans, BATCH);
  if (people) process.send?.(lines);
  else await new Promise((resolve) => setTimeout(resolve, 5));
}
