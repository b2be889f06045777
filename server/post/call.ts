/**
 * Posting a signed event to a web address that a journey names (Standard Webhooks). The address is a stranger's: it is never
 * reached on this machine or in a private network unless a setting lists it with its port, which is held against the address
 * that a name leads to at the moment of connecting, and anew on each redirect. Its answer is read so far and no longer than so long.
 */
import { request as overHttp, type IncomingMessage } from 'node:http';
import { request as overHttps } from 'node:https';
import { createHmac } from 'node:crypto';
import { Webhook } from 'standardwebhooks';
import { guardedLookup, Inward, type Allowed, type Lookup } from './reach.ts';

/** How we go outward. */
export interface Outward {
  /** Signs what is posted; whoever gets it checks it by this. */
  secret: string;
  /** What may be reached although it is private. */
  allowed: readonly Allowed[];
  /** How names are looked up; the system's way where absent. */
  lookup?: Lookup;
  /** For one whole try, redirects included, ms. */
  timeout: number;
}

export interface Call {
  /** The same for every try of one call. */
  id: string;
  url: string;
  type: string;
  /** UTC ms, of the workspace clock. */
  at: number;
  data: object;
}

/** What was answered. */
export interface Answered {
  status: number;
  /** Its beginning. */
  body: string;
  /** How long it took, ms. */
  took: number;
}

export type Called = { ok: true; answer: Answered } | { ok: false; again: boolean; error: string; answer?: Answered };

/** The signing key of a workspace, as receivers are given it. */
export const callSecret = (secret: Buffer): string =>
  `whsec_${createHmac('sha256', secret).update('call').digest().toString('base64')}`;

/** Of an answer so much is read; more is not waited for. */
const MOST_BYTES = 16_384;
const MOST_REDIRECTS = 3;
/** Answers that say "another time". */
const ANOTHER_TIME = new Set([408, 425, 429]);

export async function callAddress(outward: Outward, call: Call): Promise<Called> {
  const body = JSON.stringify({ type: call.type, timestamp: new Date(call.at).toISOString(), data: call.data });
  const signal = AbortSignal.timeout(outward.timeout);
  const began = Date.now();
  let url = call.url;
  try {
    for (let redirects = 0; ; redirects++) {
      const { status, location, text } = await post(url, body, call.id, outward, signal);
      const answer = { status, body: text, took: Date.now() - began };
      if (status >= 200 && status < 300) return { ok: true, answer };
      if ((status === 307 || status === 308) && location !== null) {
        if (redirects >= MOST_REDIRECTS)
          return { ok: false, again: false, error: `it redirects more than ${MOST_REDIRECTS} times`, answer };
        url = new URL(location, url).toString();
        continue;
      }
      return { ok: false, again: status >= 500 || ANOTHER_TIME.has(status), error: `it answered ${status}`, answer };
    }
  } catch (error) {
    if (error instanceof Inward || error instanceof Refused) return { ok: false, again: false, error: error.message };
    if (signal.aborted) return { ok: false, again: true, error: `no answer within ${outward.timeout / 1000} seconds` };
    return { ok: false, again: true, error: `it cannot be reached: ${(error as Error).message}` };
  }
}

/** An address of a kind that is not called. */
class Refused extends Error {}

function post(
  url: string,
  body: string,
  id: string,
  { secret, allowed, lookup }: Outward,
  signal: AbortSignal
): Promise<{ status: number; location: string | null; text: string }> {
  const target = new URL(url);
  if (target.protocol !== 'http:' && target.protocol !== 'https:')
    throw new Refused(`${target.protocol} addresses are not called`);
  if (target.username || target.password) throw new Refused('addresses with a password in them are not called');
  const now = new Date();
  const headers = {
    'content-type': 'application/json',
    'content-length': Buffer.byteLength(body),
    'user-agent': 'Ambulo',
    'webhook-id': id,
    'webhook-timestamp': String(Math.floor(now.getTime() / 1000)),
    'webhook-signature': new Webhook(secret).sign(id, now, body)
  };
  return new Promise((resolve, reject) => {
    const asked = (target.protocol === 'https:' ? overHttps : overHttp)(target, {
      method: 'POST',
      headers,
      // A connection of its own: one that is kept was judged for another call.
      agent: false,
      lookup: guardedLookup(target, allowed, lookup),
      signal
    });
    asked.on('error', reject);
    asked.on('response', (response) => {
      readSome(response).then(
        (text) => resolve({ status: response.statusCode ?? 0, location: response.headers.location ?? null, text }),
        reject
      );
    });
    asked.end(body);
  });
}

/** The beginning of an answer; the rest is not read. */
function readSome(response: IncomingMessage): Promise<string> {
  return new Promise((resolve, reject) => {
    const pieces: Buffer[] = [];
    let bytes = 0;
    const end = (): void => {
      resolve(Buffer.concat(pieces).subarray(0, MOST_BYTES).toString('utf8'));
      response.destroy();
    };
    response.on('data', (piece: Buffer) => {
      pieces.push(piece);
      bytes += piece.length;
      if (bytes >= MOST_BYTES) end();
    });
    response.on('end', end);
    response.on('error', reject);
  });
}
