/** Handing texts to the SMS gateway over HTTP, and the signature of what it sends back. */
import { createHash, createHmac, timingSafeEqual } from 'node:crypto';
import { z } from 'zod';
import { isFit, repaired } from '../../core/text/text.ts';
import { isNumber } from '../addresses/address.ts';
import type { Handed } from '../mail/answer.ts';

export interface Sms {
  /** Derived from the outbox row: the gateway drops a repeat. */
  id: string;
  from: string;
  to: string;
  text: string;
  /** UTC ms, of the workspace clock. */
  at: number;
}

/** What the gateway says of a text it does not take. */
const refusedText = z.object({ code: z.string().optional(), error: z.string().optional() });

/**
 * Only the gateway's own code for a number that nobody has says anything of the person. A wrong address of the gateway,
 * a wrong key, a text it does not read are matters of ours.
 */
export async function sendSms(gateway: string, sms: Sms): Promise<Handed> {
  if (!isNumber(sms.to)) return { ok: false, kind: 'mailbox', error: 'what stands there is not one phone number' };
  try {
    const response = await fetch(new URL('/messages', gateway), {
      method: 'POST',
      headers: { 'content-type': 'application/json', origin: new URL(gateway).origin },
      body: JSON.stringify({ ...sms, at: new Date(sms.at).toISOString() }),
      redirect: 'error',
      signal: AbortSignal.timeout(ANSWER_MS)
    });
    const body = (await response.text()).slice(0, 2000);
    if (response.ok) return { ok: true };
    const said = refusedText.safeParse(jsonOf(body));
    const error = `the gateway answered ${response.status}: ${said.data?.error ?? body.slice(0, 200)}`;
    if (response.status === 429 || response.status >= 500) return { ok: false, kind: 'temporary', error };
    return { ok: false, kind: said.data?.code === 'unknown-number' ? 'mailbox' : 'ours', error };
  } catch (error) {
    const cause = (error as { cause?: { code?: string } }).cause?.code;
    return { ok: false, kind: 'away', error: `the gateway cannot be reached: ${cause ?? (error as Error).message}` };
  }
}

/** A gateway may be slow; one that is asked again too early gets the text a second time. */
const ANSWER_MS = 120_000;

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}

/** The longest text that is kept as it came; far beyond what phones send. */
const LONGEST_INBOUND = 20_000;

/** What the gateway posts when someone answers. What does not fit is repaired, never refused: the text was sent to us. */
export const inboundText = z.object({
  id: z.string().min(1).transform(shortId),
  from: z.string().transform((from) => repaired(from, 100)),
  to: z
    .string()
    .default('')
    .transform((to) => repaired(to, 100)),
  text: z.string().transform((text) => repaired(text, LONGEST_INBOUND))
});
export type InboundText = z.infer<typeof inboundText>;

/** What the gateway posts of a text that it took: whether it arrived. */
export const deliveryReport = z.object({
  id: z.string().min(1).max(200),
  status: z.enum(['delivered', 'undelivered']),
  code: z.string().max(50).default(''),
  error: z
    .string()
    .default('it did not arrive')
    .transform((error) => repaired(error, 300))
});
export type DeliveryReport = z.infer<typeof deliveryReport>;

/** An id of at most 200 characters: a longer or odd one by its digest, so that it stays the same and different. */
function shortId(id: string): string {
  return id.length <= 200 && isFit(id) ? id : createHash('sha256').update(id).digest('hex');
}

const FRESH_SECONDS = 300;

/** Header value for a body: `t=SECONDS,v1=HEX`, HMAC-SHA-256 over `SECONDS.BODY`. */
export function signWebhook(secret: string, body: string, seconds: number): string {
  return `t=${seconds},v1=${createHmac('sha256', secret).update(`${seconds}.${body}`).digest('hex')}`;
}

/** Whether a signature is the gateway's, over this body, at most five minutes old. `seconds`: the machine's clock. */
export function verifyWebhook(secret: string, body: string, header: string | null, seconds: number): boolean {
  const read = /^t=(0|[1-9]\d{0,11}),v1=([0-9a-f]{64})$/.exec(header ?? '');
  if (!read) return false;
  const then = Number(read[1]);
  if (Math.abs(seconds - then) > FRESH_SECONDS) return false;
  const expected = Buffer.from(signWebhook(secret, body, then));
  const given = Buffer.from(read[0]);
  return given.length === expected.length && timingSafeEqual(given, expected);
}
