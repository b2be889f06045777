/** One listener a web process tells every open page that something changed. */
import { getConfig } from './config.ts';
import { listen, type Topic } from './db/notify.ts';

const subscribers = new Set<(topic: Topic) => void>();
let listening = false;

/** Calls `heard` on each notification until the returned function is called. */
export function subscribe(heard: (topic: Topic) => void): () => void {
  if (!listening) {
    listening = true;
    listen(getConfig().DATABASE_URL, (topic) => {
      for (const s of subscribers) s(topic);
    });
  }
  subscribers.add(heard);
  return () => void subscribers.delete(heard);
}
