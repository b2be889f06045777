/**
 * How often a password may be guessed. A guess is counted before it is checked
 * and given back where it was right, so that many at once are counted all the
 * same. Who has signed in from a browser before is known there by its device
 * cookie, and is not locked out of it by what others guess elsewhere.
 */
import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import { RateLimiterMemory } from 'rate-limiter-flexible';

const WINDOW_SECONDS = 600;
/** Guesses in ten minutes: of one name from one address, from one address at any names, at one name from anywhere. */
const limits = {
  pair: new RateLimiterMemory({ points: 10, duration: WINDOW_SECONDS }),
  address: new RateLimiterMemory({ points: 60, duration: WINDOW_SECONDS }),
  name: new RateLimiterMemory({ points: 200, duration: WINDOW_SECONDS }),
  device: new RateLimiterMemory({ points: 20, duration: WINDOW_SECONDS })
};

/** A name as it is looked up: what is counted and what is searched for are the same. */
export const lookedUp = (email: string): string => email.trim().toLowerCase();

export interface Guess {
  /** The guess was right: it does not count. */
  right(): Promise<void>;
}

/** Counts a guess; gives the minutes to wait where there were too many. `device`: a known device's id. */
export async function countGuess(address: string, name: string, device: string | null): Promise<Guess | number> {
  const keys: [keyof typeof limits, string][] = device
    ? [['device', device]]
    : [
        ['pair', `${address}/${name}`],
        ['address', address],
        ['name', name]
      ];
  const counted: [keyof typeof limits, string][] = [];
  for (const [limit, key] of keys) {
    try {
      await limits[limit].consume(key);
      counted.push([limit, key]);
    } catch (refused) {
      if (refused instanceof Error) throw refused;
      const { msBeforeNext } = refused as { msBeforeNext: number };
      return Math.max(1, Math.ceil(msBeforeNext / 60_000));
    }
  }
  return {
    async right() {
      for (const [limit, key] of counted) await limits[limit].reward(key);
    }
  };
}

export const DEVICE_COOKIE = 'ambulo-device';
export const DEVICE_DAYS = 365;

const sign = (secret: Buffer, name: string, id: string): string =>
  createHmac('sha256', secret).update(`device/${name}/${id}`).digest('base64url');

/** What a browser keeps of having signed in: an id, signed for this one name. */
export function deviceCookie(secret: Buffer, name: string): string {
  const id = randomBytes(12).toString('base64url');
  return `${id}.${sign(secret, name, id)}`;
}

/** The device's id, where the cookie is ours and for this name; `null` otherwise. */
export function knownDevice(secret: Buffer, name: string, cookie: string | undefined): string | null {
  const [id = '', mac = ''] = (cookie ?? '').split('.');
  const wanted = Buffer.from(sign(secret, name, id));
  const given = Buffer.from(mac);
  return given.length === wanted.length && timingSafeEqual(given, wanted) ? id : null;
}
