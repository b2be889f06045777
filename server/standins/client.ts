/** Asking the stand-ins over HTTP, as anyone could. */
import { z } from 'zod';
import { getConfig } from '../config.ts';

/** The stand-in does not run, or answered with an error. */
export class StandInAway extends Error {}

async function ask<T>(
  base: string | undefined,
  path: string,
  schema: z.ZodType<T>,
  init: RequestInit = {}
): Promise<T> {
  if (!base) throw new StandInAway('This stand-in is not set up. "npm run demo" starts all of them.');
  let response: Response;
  try {
    response = await fetch(new URL(path, base), {
      ...init,
      headers: { 'content-type': 'application/json', origin: new URL(base).origin },
      signal: AbortSignal.timeout(15_000)
    });
  } catch {
    throw new StandInAway('This stand-in does not answer. "npm run demo" starts it with everything else.');
  }
  const body: unknown = await response.json().catch(() => null);
  if (!response.ok)
    throw new StandInAway(
      z.object({ error: z.string() }).safeParse(body).data?.error ?? `The stand-in answered ${response.status}.`
    );
  return schema.parse(body);
}

const summary = z.object({
  id: z.number(),
  to: z.string(),
  from: z.string(),
  subject: z.string(),
  date: z.string(),
  opened: z.boolean(),
  repeats: z.number()
});
const whole = summary.extend({
  messageId: z.string(),
  returnPath: z.string(),
  text: z.string(),
  html: z.string(),
  headers: z.array(z.tuple([z.string(), z.string()]))
});
const text = z.object({
  id: z.string(),
  seq: z.number(),
  number: z.string(),
  from: z.string(),
  direction: z.enum(['in', 'out']),
  text: z.string(),
  at: z.string(),
  repeats: z.number()
});

export type MailSummary = z.infer<typeof summary>;
export type Mail = z.infer<typeof whole>;
export type Text = z.infer<typeof text>;

export function listMail(search: string, limit = 200): Promise<{ total: number; mail: MailSummary[] }> {
  const query = new URLSearchParams({ search, order: 'newest', limit: String(limit) });
  return ask(getConfig().POSTBOX_URL, `/api/mail?${query}`, z.object({ total: z.number(), mail: z.array(summary) }));
}

export function readMail(id: number): Promise<Mail> {
  return ask(getConfig().POSTBOX_URL, `/api/mail/${id}`, whole);
}

/** Follows a link as the reader's browser would; says where it was sent on to. */
export function followLink(url: string): Promise<{ status: number; location: string | null }> {
  return ask(
    getConfig().POSTBOX_URL,
    '/api/follow',
    z.object({ status: z.number(), location: z.string().nullable() }),
    { method: 'POST', body: JSON.stringify({ url }) }
  );
}

/** Sends something back about a mail, as its reader or their server would. */
export async function sendBack(id: number, kind: string, words: string, at: number): Promise<void> {
  await ask(getConfig().POSTBOX_URL, '/api/answer', z.object({ sent: z.string() }), {
    method: 'POST',
    body: JSON.stringify({ id, do: kind, text: words, at: new Date(at).toISOString() })
  });
}

export async function listPhones(): Promise<{ number: string; count: number; last: Text }[]> {
  const answer = await ask(
    getConfig().HANDSET_URL,
    '/api/phones',
    z.object({ phones: z.array(z.object({ number: z.string(), count: z.number(), last: text })) })
  );
  return answer.phones;
}

export async function textsOf(number: string): Promise<Text[]> {
  const answer = await ask(
    getConfig().HANDSET_URL,
    `/api/texts?number=${encodeURIComponent(number)}`,
    z.object({ texts: z.array(text) })
  );
  return answer.texts;
}

export async function replyFrom(number: string, words: string, at: number): Promise<void> {
  await ask(getConfig().HANDSET_URL, '/api/reply', z.object({ id: z.string() }), {
    method: 'POST',
    body: JSON.stringify({ number, text: words, at: new Date(at).toISOString() })
  });
}
