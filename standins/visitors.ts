/**
 * Visitors: people who come by in the evening and buy things, told to Ambulo by its API as the door and the shop would. Who
 * comes on which evening is decided by a seed and the day, so the same run happens the same way; each is told under an id of
 * its own, so that an evening told twice is one.
 */
import { createHash } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';

const HOUR = 3_600_000;
const DAY = 24 * HOUR;
/** After midnight UTC: when the dome has closed. */
const EVENING = 21.5 * HOUR;
const FEWEST = 3;
const MOST = 9;
/** Of those who come, one in so many buys something. */
const ONE_BUYS = 3;

export interface Visitors {
  /** Nobody comes before, UTC ms. */
  from: number;
  /** A CSV whose first column is the address. */
  file: string;
  /** Where happenings are told. */
  api: string;
  /** Holds the key for it, once there is one. */
  keyFile: string;
}

/** The next evening after an instant, UTC ms. */
export function nextEvening({ from }: Pick<Visitors, 'from'>, after: number): number {
  const least = Math.max(from, after);
  const evening = Math.floor(least / DAY) * DAY + EVENING;
  return evening > least ? evening : evening + DAY;
}

/** What is told of an evening. */
export function evening(seed: string, at: number, people: readonly string[]): object[] {
  const day = new Date(at).toISOString().slice(0, 10);
  const draw = (...words: (string | number)[]): number =>
    createHash('sha256')
      .update([seed, day, ...words].join('\n'))
      .digest()
      .readUInt32BE(0) /
    2 ** 32;
  const count = FEWEST + Math.floor(draw('how many') * (MOST - FEWEST + 1));
  const event = (id: string, type: string, subject: string, data: object): object => ({
    specversion: '1.0',
    id: `${day}-${id}`,
    source: 'https://door.quillmoor.example',
    type,
    time: new Date(at).toISOString(),
    subject,
    data
  });
  return Array.from({ length: count }, (_, i) => people[Math.floor(draw('who', i) * people.length)] ?? '').flatMap(
    (who, i) => {
      const came = event(`visit-${i}`, 'ambulo.set', who, { addTags: ['first-visit'] });
      if (Math.floor(draw('buys', i) * ONE_BUYS) !== 0) return [came];
      const items = [{ sku: 'star-map', name: 'Star map', price: '12.50', quantity: 1 }];
      return [came, event(`sale-${i}`, 'ambulo.purchased', who, { order: `${day}-${i}`, amount: '12.50', items })];
    }
  );
}

/** Tells of every evening after `since` and up to `now`; how many. Without a key nobody is let in, and nothing is told. */
export async function comeBy(visitors: Visitors, seed: string, since: number, now: number): Promise<number> {
  if (!existsSync(visitors.keyFile)) return 0;
  let told = 0;
  for (let at = nextEvening(visitors, since); at <= now; at = nextEvening(visitors, at)) {
    const people = readFileSync(visitors.file, 'utf8')
      .split('\n')
      .slice(1)
      .flatMap((line) => line.split(',')[0]?.trim() || []);
    const response = await fetch(visitors.api, {
      method: 'POST',
      headers: {
        'content-type': 'application/cloudevents-batch+json',
        authorization: `Bearer ${readFileSync(visitors.keyFile, 'utf8').trim()}`
      },
      body: JSON.stringify(evening(seed, at, people)),
      signal: AbortSignal.timeout(15_000)
    });
    const answer = await response.text();
    if (response.status !== 202 && response.status !== 422)
      throw new Error(`the visitors were not let in: ${response.status} ${answer.slice(0, 200)}`);
    told++;
  }
  return told;
}
