/**
 * Handset: an SMS gateway with the phones behind it. Takes texts over HTTP,
 * shows each number's conversation, and posts what is answered to a webhook,
 * signed. The same id twice is one text.
 */
import { createHmac, randomUUID } from 'node:crypto';
import { z } from 'zod';
import { serve } from './http.ts';
import { keepIn } from './keep.ts';

export interface StoredText {
  id: string;
  seq: number;
  /** The phone's number. */
  number: string;
  from: string;
  direction: 'in' | 'out';
  text: string;
  /** ISO, as the sender dated it. */
  at: string;
  repeats: number;
}

const outgoing = z.object({
  id: z.string().min(1).max(200),
  from: z.string().max(100),
  to: z.string().min(3).max(40),
  text: z.string().max(20_000),
  at: z.iso.datetime()
});
const answering = z.object({
  number: z.string().min(3).max(40),
  text: z.string().max(20_000),
  at: z.iso.datetime().optional()
});

export interface Handset {
  port: number;
  texts: StoredText[];
  close(): Promise<void>;
}

export interface HandsetOptions {
  port: number;
  /** Where answers are posted. */
  webhook: () => string;
  secret: string;
  /** Where texts are kept over a restart. */
  file?: string;
}

export async function startHandset({ port, webhook, secret, file }: HandsetOptions): Promise<Handset> {
  const kept = keepIn<StoredText>(file);
  const texts = kept.load();
  const byId = new Map(texts.map((t) => [t.id, t]));
  const keep = async (text: Omit<StoredText, 'seq' | 'repeats'>): Promise<void> => {
    const stored = { ...text, seq: texts.length + 1, repeats: 0 };
    texts.push(stored);
    byId.set(text.id, stored);
    await kept.add(stored);
  };

  /** Posts something to the webhook, signed. */
  const tell = (what: object): Promise<Response> => {
    const payload = JSON.stringify(what);
    const seconds = Math.floor(Date.now() / 1000);
    const mac = createHmac('sha256', secret).update(`${seconds}.${payload}`).digest('hex');
    return fetch(webhook(), {
      method: 'POST',
      headers: {
        'content-type': 'application/json',
        origin: new URL(webhook()).origin,
        'x-handset-signature': `t=${seconds},v1=${mac}`
      },
      body: payload,
      signal: AbortSignal.timeout(15_000)
    });
  };

  const http = await serve(
    {
      'POST /messages': async ({ body }) => {
        const { id, from, to, text, at } = outgoing.parse(body);
        // Numbers of this form belong to nobody: a way to see what that does.
        if (/404$/.test(to)) return { status: 422, json: { code: 'unknown-number', error: 'nobody has this number' } };
        const known = byId.get(id);
        if (known) known.repeats++;
        else await keep({ id, number: to, from, direction: 'out', text, at });
        // Numbers of this form take a text and do not get it: the report comes afterwards.
        if (!known && /405$/.test(to))
          void tell({
            id,
            status: 'undelivered',
            code: 'unknown-number',
            error: 'the number is not in use any more'
          }).catch(() => undefined);
        return { status: 202, json: { id } };
      },
      'GET /api/phones': () => {
        const phones = new Map<string, { number: string; last: StoredText; count: number }>();
        for (const text of texts) {
          const count = (phones.get(text.number)?.count ?? 0) + 1;
          phones.set(text.number, { number: text.number, last: text, count });
        }
        return { status: 200, json: { phones: [...phones.values()].sort((a, b) => b.last.seq - a.last.seq) } };
      },
      'GET /api/texts': ({ query }) => {
        const number = query.get('number');
        const after = Number(query.get('after') ?? 0);
        return { status: 200, json: { texts: texts.filter((t) => t.seq > after && (!number || t.number === number)) } };
      },
      'POST /api/reply': async ({ body }) => {
        const { number, text, at } = answering.parse(body);
        const last = texts.findLast((t) => t.number === number);
        if (!last) return { status: 404, json: { error: 'this phone has had no text' } };
        const id = randomUUID();
        const response = await tell({ id, from: number, to: last.from, text });
        if (!response.ok)
          return { status: 502, json: { error: `the webhook answered ${response.status}; the text was not sent` } };
        await keep({ id, number, from: last.from, direction: 'in', text, at: at ?? last.at });
        return { status: 202, json: { id } };
      }
    },
    port
  );
  return { port: http.port, texts, close: http.close };
}
