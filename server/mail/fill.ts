/**
 * Filling in templates without being held up by one: what is plain is filled in here, all else in a thread that is ended at its
 * limit. One that takes too long is said not to come to an end; those beside it are filled in all the same.
 */
import { isPlainTemplate } from '../../core/message/personal.ts';
import { Thread, TooLong } from '../threads/thread.ts';
import { fillHere, type Fill, type Filled } from './fill-here.ts';

/** How long the thread may take for what it is asked at once, ms: many times what any message takes. */
const LIMIT_MS = 2000;

const thread = new Thread<Fill[], Filled[]>('server/mail/filling.ts', LIMIT_MS);

/** The templates in what is to be filled in. */
function templates(value: unknown): string[] {
  if (typeof value === 'string') return [value];
  return typeof value === 'object' && value !== null ? (Object.values(value) as unknown[]).flatMap(templates) : [];
}
const templatesOf = (fill: Fill): string[] =>
  fill.what === 'text' ? [fill.template] : fill.what === 'call' ? templates(fill.step.data) : templates(fill.step);

/** Fills in, each on its own; what came of it, in their order. */
export async function fillAll(fills: readonly Fill[]): Promise<Filled[]> {
  const done = new Map<Fill, Filled>();
  const apart: Fill[] = [];
  for (const fill of fills) {
    if (templatesOf(fill).every(isPlainTemplate)) done.set(fill, fillHere(fill));
    else apart.push(fill);
  }
  await inThread(apart, done);
  return fills.map((fill) => done.get(fill) ?? { what: 'error', error: 'it was not filled in' });
}

async function inThread(fills: readonly Fill[], done: Map<Fill, Filled>): Promise<void> {
  if (!fills.length) return;
  try {
    const filled = await thread.ask([...fills]);
    fills.forEach((fill, i) => done.set(fill, filled[i] ?? { what: 'error', error: 'it was not filled in' }));
  } catch (error) {
    if (fills.length > 1 && error instanceof TooLong) {
      // One of them does not come to an end: it is found by halves, and the others are not kept by it.
      const middle = Math.ceil(fills.length / 2);
      await inThread(fills.slice(0, middle), done);
      await inThread(fills.slice(middle), done);
      return;
    }
    const words = error instanceof TooLong ? 'it does not come to an end' : (error as Error).message;
    for (const fill of fills) done.set(fill, { what: 'error', error: `it cannot be filled in: ${words}` });
  }
}

/** Fills in one text. @throws with the reason in words where it cannot be. */
export async function fillText(fill: Extract<Fill, { what: 'text' }>): Promise<string> {
  const [filled] = await fillAll([fill]);
  if (filled?.what !== 'text') throw new Error(filled?.what === 'error' ? filled.error : 'it was not filled in');
  return filled.text;
}
