/**
 * Telling machines from readers. Mail scanners fetch what is in a mail before anybody has seen it, and preload what nobody
 * asked for: such fetches are recorded and marked, and match nothing. Each rule is one of these, and a table of cases.
 */
import { isbot } from 'isbot';

/** What a request tells of who fetches. */
export interface Fetch {
  method: string;
  userAgent: string | null;
  /** `Purpose`, `Sec-Purpose` or `X-Moz`, where one is there. */
  purpose: string | null;
}

/** A picture that a reader looks at is fetched for them by their mail provider: that is the reader's own act. */
const FOR_A_READER = /image ?proxy/i;

/** Whether a fetch is a machine's, by itself. `what`: only pictures are fetched on behalf of readers. */
export function isMachine({ method, userAgent, purpose }: Fetch, what: 'opened' | 'clicked'): boolean {
  if (method === 'HEAD') return true;
  if (purpose !== null && /prefetch|preview|prerender/i.test(purpose)) return true;
  const agent = userAgent?.trim() ?? '';
  // A browser says what it is.
  if (agent === '') return true;
  if (what === 'opened' && FOR_A_READER.test(agent)) return false;
  return isbot(agent);
}

/** One fetch of a message within seconds of its delivery. */
export interface Early {
  name: 'opened' | 'clicked' | 'trap';
  link: string | null;
  machine: boolean;
}

/** Fewer links than this may all be followed by a quick reader. */
const FEWEST = 2;

/**
 * Whether what was fetched of one message within seconds of delivery is a scanner's work as a whole: it followed the link
 * that nobody can see, or every link there is. `links`: how many distinct ones the message has.
 */
export function isScanned(early: readonly Early[], links: number): boolean {
  if (early.some((e) => e.name === 'trap')) return true;
  const followed = new Set(early.flatMap((e) => (e.name === 'clicked' ? [e.link] : [])));
  return links >= FEWEST && followed.size >= links;
}
