import { subscribe } from '$server/live.ts';
import type { RequestHandler } from './$types';

/** At most so often a page is told. */
const EVERY_MS = 400;
const ALIVE_MS = 20_000;

/** Tells a page, as server-sent events, that what it shows may have changed. */
export const GET: RequestHandler = () => {
  let close = (): void => undefined;
  const stream = new ReadableStream<string>({
    start(controller) {
      let timer: ReturnType<typeof setTimeout> | null = null;
      const unsubscribe = subscribe((topic) => {
        if (topic !== 'changed' && topic !== 'clock') return;
        timer ??= setTimeout(() => {
          timer = null;
          controller.enqueue('data: changed\n\n');
        }, EVERY_MS);
      });
      const alive = setInterval(() => controller.enqueue(': alive\n\n'), ALIVE_MS);
      controller.enqueue('retry: 2000\n\n');
      close = () => {
        unsubscribe();
        clearInterval(alive);
        if (timer) clearTimeout(timer);
      };
    },
    cancel: () => close()
  });
  return new Response(stream.pipeThrough(new TextEncoderStream()), {
    headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' }
  });
};
