/**
 * Posting a signed event to a web address that a journey names (Standard Webhooks). The address is a stranger's: it is never
 * reached on this machine or in a private network unless a setting lists it, which is held against the address that a name
 * leads to at the moment of connecting, and anew on each redirect. Its answer is read so far and no longer than so long.
 */
import { request as overHttp, type IncomingMessage } from 'node:http';
import { request as overHttps } from 'node:https';
import { createHmac } from 'node:crypto';
import { useAgent } from 'request-filtering-agent';
import { Webhook } from 'standardwebhooks';

/** How we go outward. */
export interface Outward {
  /** Signs what is posted; whoever gets it checks it by this. */
  secret: string;
  /** Addresses or networks (CIDR) that may be reached although they are private. */
  allowed: string[];
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
    if (error instanceof Inward) return { ok: false, again: false, error: error.message };
    if (signal.aborted) return { ok: false, again: true, error: `no answer within ${outward.timeout / 1000} seconds` };
    return { ok: false, again: true, error: `it cannot be reached: ${(error as Error).message}` };
  }
}

/** An address that may not be reached. */
class Inward extends Error {}

function post(
  url: string,
  body: string,
  id: string,
  { secret, allowed }: Outward,
  signal: AbortSignal
): Promise<{ status: number; location: string | null; text: string }> {
  const target = new URL(url);
  if (target.protocol !== 'http:' && target.protocol !== 'https:')
    throw new Inward(`${target.protocol} addresses are not called`);
  if (target.username || target.password) throw new Inward('addresses with a password in them are not called');
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
    const refuse = (error: Error): void =>
      reject(
        /is not allowed/.test(error.message)
          ? new Inward(`it leads into a private network, which is not called: ${target.hostname}`)
          : error
      );
    let agent;
    try {
      agent = useAgent(url, { allowIPAddressList: allowed });
    } catch (error) {
      return refuse(error as Error);
    }
    const asked = (target.protocol === 'https:' ? overHttps : overHttp)(target, {
      method: 'POST',
      headers,
      agent,
      signal
    });
    asked.on('error', refuse);
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
