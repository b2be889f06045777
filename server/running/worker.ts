/**
 * The worker: batches, outbox and clock skips, woken by notifications, with a
 * poll as the fallback. It goes on by itself when the database was gone.
 */
import type { Logger } from 'pino';
import { workCrowd } from '../crowds/crowds.ts';
import { lookAtMidnight } from '../crowds/midnight.ts';
import { runAskedSkip } from './skip.ts';
import { decideEarly } from '../intake/early.ts';
import { listen } from '../db/notify.ts';
import { isUnavailable, type Pool } from '../db/pool.ts';
import { now } from '../workspace/clock.ts';
import { workImport } from '../imports/run.ts';
import { workDoubles } from '../people/doubles.ts';
import { goLiveInTime } from '../journeys/live-at.ts';
import { sendAnswers } from '../post/answers.ts';
import { runBatch } from '../engine/batch.ts';
import type { Engine } from './context.ts';
import type { Outbox } from '../post/outbox.ts';
import { sendLetters } from '../post/letters.ts';
import { letGo } from './retention.ts';

export interface Worker {
  /** Stops after the work in hand. */
  stop(): Promise<void>;
}

const POLL_MS = 1000;
/** What is being handed over when the worker is asked to stop may take so long to be recorded. */
const LAST_WORDS_MS = 4000;

/** Between two looks for what is old, where the last found nothing: it reads what has to stay, too. */
const FORGET_MS = 10 * 60_000;

/** Lets portions of what is old go, one after another; false while there is none. */
function forgetting(pool: Pool, keep: number): () => Promise<boolean> {
  let next = 0;
  return async () => {
    if (Date.now() < next) return false;
    const gone = await letGo(pool, (await now(pool)) - keep);
    if (!gone) next = Date.now() + FORGET_MS;
    return gone > 0;
  };
}

/** Keeps an outbox filled; false where there is nothing to do. */
async function pump(outbox: Outbox): Promise<boolean> {
  const taken = await outbox.fill();
  if (!taken && !outbox.busy) return false;
  await outbox.progress(POLL_MS);
  return true;
}

export function startWorker(engine: Engine, connectionString: string, log: Logger): Worker {
  let stopped = false;
  const ending = new AbortController();
  const sleepers = new Set<() => void>();
  const wakeAll = (): void => {
    for (const wake of sleepers) wake();
  };
  const sleep = (ms: number): Promise<void> =>
    new Promise((resolve) => {
      const done = (): void => {
        clearTimeout(timer);
        sleepers.delete(done);
        resolve();
      };
      const timer = setTimeout(done, ms);
      sleepers.add(done);
    });
  const bell = listen(connectionString, (heard) => {
    if ('topic' in heard && heard.topic !== 'session') wakeAll();
  });

  /** Repeats one kind of work; rests when there was none, longer when something failed. */
  const repeat = async (name: string, work: () => Promise<boolean>): Promise<void> => {
    let failures = 0;
    while (!stopped) {
      try {
        const busy = await work();
        if (failures) log.info({ work: name }, 'going on');
        failures = 0;
        if (!busy) await sleep(POLL_MS);
      } catch (error) {
        failures++;
        const pause = Math.min(250 * 2 ** failures, 5000);
        if (isUnavailable(error)) log.warn({ work: name }, 'the database is away; trying again');
        else
          log.error(
            { work: name, error: (error as Error).message, stack: (error as Error).stack },
            'work failed; trying again'
          );
        await new Promise((resolve) => setTimeout(resolve, pause));
      }
    }
  };
  // A call may take longer than one waits for a worker to end; its lease runs out, and it is made again under its id.
  const errands = Promise.all(
    (['messages', 'calls'] as const).map((which) => repeat(which, async () => (await engine.errands.run(which)) > 0))
  );
  const loops = [
    repeat('walks', async () => (await runBatch(engine.pool, engine.plans)).people > 0),
    ...engine.outboxes.map((outbox) => repeat(`outbox ${outbox.channel}`, () => pump(outbox))),
    repeat(
      'answers',
      async () => (await sendAnswers(engine.pool, engine.post)) + (await sendLetters(engine.pool, engine.post)) > 0
    ),
    repeat('early fetches', async () => (await decideEarly(engine.pool)) > 0),
    repeat(
      'crowds',
      async () =>
        (await goLiveInTime(engine.pool)) ||
        (await lookAtMidnight(engine.pool, engine.plans.settings)) ||
        workCrowd(engine.pool, engine.plans.settings)
    ),
    repeat('imports', async () => (await workImport(engine.pool)) || workDoubles(engine.pool)),
    repeat('clock', () => runAskedSkip(engine, ending.signal)),
    ...(engine.keep === null ? [] : [repeat('retention', forgetting(engine.pool, engine.keep))])
  ];
  return {
    async stop() {
      stopped = true;
      ending.abort();
      wakeAll();
      const lastWords = new Promise<void>((resolve) => setTimeout(resolve, LAST_WORDS_MS).unref());
      await Promise.all([
        Promise.all(loops).then(() => Promise.all(engine.outboxes.map((outbox) => outbox.drain(LAST_WORDS_MS)))),
        Promise.race([errands, lastWords])
      ]);
      for (const outbox of engine.outboxes) outbox.close();
      await bell.close();
      engine.post.mailer.close();
    }
  };
}
