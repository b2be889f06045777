/**
 * Many small things done in one statement: what comes while a statement is under way waits for the next, which takes all of
 * it. Alone, each is done at once; under load a statement serves hundreds.
 */
import { isNobodysFault } from './pool.ts';

interface Waiting<T, R> {
  item: T;
  done: (result: R) => void;
  failed: (error: unknown) => void;
}

/**
 * A way to do one thing that is done together with others. `run` gives a result for each item, in their order. Where it fails
 * for what it was given, each is tried by itself, so that one bad value fails alone. `side`: statements under way at once;
 * `most`: items in one.
 */
export function together<T, R>(run: (items: T[]) => Promise<R[]>, side = 2, most = 500): (item: T) => Promise<R> {
  const queue: Waiting<T, R>[] = [];
  let running = 0;

  async function settle(some: Waiting<T, R>[]): Promise<void> {
    try {
      const results = await run(some.map((w) => w.item));
      some.forEach((w, i) => w.done(results[i] as R));
    } catch (error) {
      if (some.length === 1 || isNobodysFault(error)) for (const w of some) w.failed(error);
      else for (const w of some) await settle([w]);
    }
  }

  const next = (): void => {
    while (running < side && queue.length) {
      running++;
      void settle(queue.splice(0, most)).finally(() => {
        running--;
        next();
      });
    }
  };

  return (item) =>
    new Promise<R>((done, failed) => {
      queue.push({ item, done, failed });
      // What comes in the same turn of the loop goes together.
      if (queue.length === 1) setImmediate(next);
    });
}
