/** One listener a web process tells every open page that something changed. */
import { getConfig } from './config.ts';
import { listen, type Heard } from './db/notify.ts';

const subscribers = new Set<(heard: Heard) => void>();
let listening = false;

/** Calls `heard` on each notification until the returned function is called. */
export function subscribe(heard: (heard: Heard) => void): () => void {
  if (!listening) {
    listening = true;
    listen(getConfig().DATABASE_URL, (said) => {
      for (const s of subscribers) s(said);
    });
  }
  subscribers.add(heard);
  return () => void subscribers.delete(heard);
}
