/**
 * Work whose length whoever sent it chooses (mails that come in, templates) runs in a thread of its own: one item at a time, each
 * with a limit, and a thread that does not come to an end is ended. What waits goes on in the next. Nothing else waits for it.
 */
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { parentPort, Worker } from 'node:worker_threads';

/** It took longer than it may. */
export class TooLong extends Error {}

interface Waiting<Q, A> {
  question: Q;
  done: (answer: A) => void;
  failed: (error: Error) => void;
}
type Said<A> = { ready: true } | { answer: A } | { error: string };

/** One thread that answers questions. `file`: from the root of the checkout; it calls {@link serve}. */
export class Thread<Q, A> {
  private worker: Worker | null = null;
  private ready = false;
  private readonly queue: Waiting<Q, A>[] = [];
  private now: { waiting: Waiting<Q, A>; timer: ReturnType<typeof setTimeout> } | null = null;

  constructor(
    private readonly file: string,
    /** How long one item may take, ms. */
    private readonly limit: number
  ) {}

  /** Answers one question. @throws {@link TooLong}, or an error with the words that the thread threw. */
  ask(question: Q): Promise<A> {
    return new Promise((done, failed) => {
      this.queue.push({ question, done, failed });
      this.next();
    });
  }

  /** Ends the thread; what waits is refused. */
  async close(): Promise<void> {
    const { worker } = this;
    const waiting = [...(this.now ? [this.now.waiting] : []), ...this.queue.splice(0)];
    this.over();
    this.worker = null;
    for (const w of waiting) w.failed(new Error('the thread was closed'));
    await worker?.terminate();
  }

  private next(): void {
    if (this.now || !this.queue.length) return;
    const worker = (this.worker ??= this.start());
    if (!this.ready) return;
    const waiting = this.queue.shift();
    if (!waiting) return;
    this.now = { waiting, timer: setTimeout(() => this.tooLong(), this.limit) };
    worker.ref();
    worker.postMessage(waiting.question);
  }

  private start(): Worker {
    const worker = new Worker(join(process.cwd(), 'server/threads/begin.mjs'), {
      workerData: { file: pathToFileURL(join(process.cwd(), this.file)).href }
    });
    worker.on('message', (said: Said<A>) => {
      if (worker !== this.worker) return;
      if ('ready' in said) this.ready = true;
      else {
        const waiting = this.over();
        if ('error' in said) waiting?.failed(new Error(said.error));
        else waiting?.done(said.answer);
        if (!this.queue.length) worker.unref();
      }
      this.next();
    });
    const ended = (why: string): void => {
      if (worker !== this.worker) return;
      this.worker = null;
      const waiting = this.over() ?? this.queue.shift();
      waiting?.failed(new Error(why));
      this.next();
    };
    worker.on('error', (error: Error) => ended(error.message));
    worker.on('exit', () => ended('the thread ended'));
    return worker;
  }

  /** Nothing is under way any more; what was. */
  private over(): Waiting<Q, A> | null {
    const { now } = this;
    if (now) clearTimeout(now.timer);
    this.now = null;
    if (!this.worker) this.ready = false;
    return now?.waiting ?? null;
  }

  private tooLong(): void {
    const { worker } = this;
    this.worker = null;
    this.ready = false;
    const waiting = this.over();
    void worker?.terminate();
    waiting?.failed(new TooLong(`it took longer than ${this.limit / 1000} s`));
    this.next();
  }
}

/** In the thread: answers each question as it comes. */
export function serve<Q, A>(answer: (question: Q) => A | Promise<A>): void {
  const port = parentPort;
  if (!port) throw new Error('this file is run in a thread');
  port.on('message', (question: Q) => {
    void (async () => {
      try {
        port.postMessage({ answer: await answer(question) });
      } catch (error) {
        port.postMessage({ error: error instanceof Error ? error.message : String(error) });
      }
    })();
  });
  port.postMessage({ ready: true });
}
