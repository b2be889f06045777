import { SESSION_COOKIE, userOf } from '$server/access/sessions.ts';
import { db } from '$server/app.ts';
import type { Shown } from '$server/db/notify.ts';
import { subscribe } from '$server/live.ts';
import type { RequestHandler } from './$types';

/** At most so often a page is told. */
const EVERY_MS = 400;
const ALIVE_MS = 15_000;

/** Tells a page, as server-sent events, what of what it may show has changed, by name. */
export const GET: RequestHandler = ({ cookies }) => {
  const token = cookies.get(SESSION_COOKIE) ?? '';
  let close = (): void => undefined;
  let closed = false;
  const stream = new ReadableStream<string>({
    start(controller) {
      let timer: ReturnType<typeof setTimeout> | null = null;
      const names = new Set<Shown>();
      const unsubscribe = subscribe((heard) => {
        if ('topic' in heard) {
          if (heard.topic === 'session') void stillSignedIn();
          if (heard.topic !== 'clock') return;
          names.add('clock');
        } else for (const name of heard.changed) names.add(name);
        timer ??= setTimeout(() => {
          timer = null;
          controller.enqueue(`data: ${[...names].join(' ')}\n\n`);
          names.clear();
        }, EVERY_MS);
      });
      // Nobody hears of anything whose session has ended, by signing out or by itself.
      const stillSignedIn = async (): Promise<void> => {
        const user = await userOf(db(), token).catch(() => undefined);
        if (user !== null || closed) return;
        close();
        controller.close();
      };
      const alive = setInterval(() => {
        controller.enqueue(': alive\n\n');
        void stillSignedIn();
      }, ALIVE_MS);
      controller.enqueue('retry: 2000\n\n');
      close = () => {
        closed = true;
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
