/** Handing texts to the SMS gateway over HTTP, and the signature of what it sends back. */
import { createHmac, timingSafeEqual } from 'node:crypto';
import { z } from 'zod';
import type { Handed } from '../mail/smtp.ts';

export interface Sms {
  /** Derived from the outbox row: the gateway drops a repeat. */
  id: string;
  from: string;
  to: string;
  text: string;
  /** UTC ms, of the workspace clock. */
  at: number;
}

export async function sendSms(gateway: string, sms: Sms): Promise<Handed> {
  try {
    const response = await fetch(new URL('/messages', gateway), {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ ...sms, at: new Date(sms.at).toISOString() }),
      signal: AbortSignal.timeout(15_000)
    });
    if (response.ok) return { ok: true };
    const error = `the gateway answered ${response.status}: ${(await response.text()).slice(0, 200)}`;
    if (response.status === 429 || response.status >= 500) return { ok: false, kind: 'temporary', error };
    return { ok: false, kind: response.status === 404 || response.status === 410 ? 'bounced' : 'failed', error };
  } catch (error) {
    const cause = (error as { cause?: { code?: string } }).cause?.code;
    return {
      ok: false,
      kind: 'temporary',
      error: `the gateway cannot be reached: ${cause ?? (error as Error).message}`
    };
  }
}

/** What the gateway posts when someone answers. */
export const inboundText = z.object({
  id: z.string().min(1).max(200),
  from: z.string().min(3).max(40),
  to: z.string().max(40),
  text: z.string().max(2000)
});
export type InboundText = z.infer<typeof inboundText>;

const FRESH_SECONDS = 300;

/** Header value for a body: `t=SECONDS,v1=HEX`, HMAC-SHA-256 over `SECONDS.BODY`. */
export function signWebhook(secret: string, body: string, seconds: number): string {
  return `t=${seconds},v1=${createHmac('sha256', secret).update(`${seconds}.${body}`).digest('hex')}`;
}

/** Whether a signature is the gateway's, over this body, at most five minutes old. `seconds`: the machine's clock. */
export function verifyWebhook(secret: string, body: string, header: string | null, seconds: number): boolean {
  const read = /^t=(\d{1,12}),v1=([0-9a-f]{64})$/.exec(header ?? '');
  if (!read) return false;
  const then = Number(read[1]);
  if (Math.abs(seconds - then) > FRESH_SECONDS) return false;
  const expected = signWebhook(secret, body, then);
  return timingSafeEqual(Buffer.from(expected), Buffer.from(header ?? ''));
}
