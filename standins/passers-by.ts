/**
 * Passers-by: invented people who react to what arrives. They read the Postbox
 * and the Handset as owners of the addresses, and act only as anyone could:
 * fetch the pixel, follow a link, answer a text, unsubscribe. What each does is
 * decided by a seed and the message, so the same run happens the same way.
 */
import { createHash } from 'node:crypto';
import { z } from 'zod';
import { AS_A_READER, postJson, serve } from './http.ts';
import { comeBy, nextEvening, type Visitors } from './visitors.ts';

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
/** Reactions fall on quarter hours: a practice clock then stops at 96 instants a day at most. */
const GRAIN = 15 * MINUTE;

const mailPage = z.object({
  mail: z.array(
    z.object({
      id: z.number(),
      messageId: z.string(),
      to: z.string(),
      date: z.string(),
      text: z.string(),
      html: z.string()
    })
  )
});
const textPage = z.object({
  texts: z.array(
    z.object({
      id: z.string(),
      seq: z.number(),
      number: z.string(),
      direction: z.enum(['in', 'out']),
      text: z.string(),
      at: z.string()
    })
  )
});

type Act =
  | { do: 'fetch'; url: string; method: 'GET' | 'POST' }
  | { do: 'reply'; number: string; text: string }
  /** Something sent back by mail: an answer, an automatic one, a complaint. */
  | { do: 'mail'; id: number; kind: 'reply' | 'away' | 'spam'; text: string };
interface Planned {
  at: number;
  order: number;
  act: Act;
}

/** How long someone waits for an answer. */
const PATIENCE_MS = 10_000;

/** How a kind of person behaves; each figure is a share of messages. */
interface Profile {
  share: number;
  opens: number;
  /** Of those opened. */
  clicks: number;
  unsubscribes: number;
  replies: number;
  /** Median hours until a mail is opened. */
  delay: number;
}

const PROFILES: Profile[] = [
  { share: 0.18, opens: 0.9, clicks: 0.45, unsubscribes: 0, replies: 0.4, delay: 3 },
  { share: 0.42, opens: 0.6, clicks: 0.2, unsubscribes: 0.004, replies: 0.15, delay: 9 },
  { share: 0.28, opens: 0.25, clicks: 0.08, unsubscribes: 0.012, replies: 0.04, delay: 20 },
  { share: 0.12, opens: 0, clicks: 0, unsubscribes: 0, replies: 0, delay: 24 }
];

const ANSWERS = [
  'Yes please',
  'yes',
  'Sounds great',
  'What time does it start?',
  'No thanks',
  'yeah, two seats',
  'Is it ok to bring the dog?',
  'maybe next week'
];

/** Even numbers in [0, 1), as many as asked for, always the same for the same words. */
function draws(seed: string, ...words: string[]): () => number {
  let n = 0;
  return () => {
    const hash = createHash('sha256')
      .update([seed, ...words, String(n++)].join('\n'))
      .digest();
    return hash.readUInt32BE(0) / 2 ** 32;
  };
}

function profileOf(seed: string, address: string): Profile {
  let left = draws(seed, 'profile', address.toLowerCase())();
  for (const profile of PROFILES) {
    if (left < profile.share) return profile;
    left -= profile.share;
  }
  return PROFILES[1] as Profile;
}

/** A waiting time with the given median in hours: mostly shorter, sometimes much longer, at most four days. */
function delay(median: number, draw: number): number {
  const spread = Math.exp((draw - 0.5) * 3.2);
  return Math.min(median * spread, 96) * HOUR;
}

function onGrain(at: number): number {
  return Math.ceil(at / GRAIN) * GRAIN;
}

/** What someone does about a mail. */
export function reactionsToMail(
  seed: string,
  mail: { id: number; messageId: string; to: string; date: string; text: string; html: string }
): { at: number; act: Act }[] {
  const profile = profileOf(seed, mail.to);
  const draw = draws(seed, 'mail', mail.messageId);
  if (draw() >= profile.opens) return [];
  const pixel = /<img src="([^"]+)" width="1"/.exec(mail.html)?.[1];
  const links = [...mail.text.matchAll(/https?:\/\/\S+\/l\/[\w-]+/g)].map((m) => m[0]);
  const unsubscribe = /Unsubscribe: (\S+)/.exec(mail.text)?.[1];
  const at = onGrain(Date.parse(mail.date) + delay(profile.delay, draw()));
  const acts: { at: number; act: Act }[] = [];
  if (pixel) acts.push({ at, act: { do: 'fetch', url: pixel, method: 'GET' } });
  const link = links[Math.floor(draw() * links.length)];
  if (link && draw() < profile.clicks)
    acts.push({ at: at + (draw() < 0.8 ? 0 : GRAIN), act: { do: 'fetch', url: link, method: 'GET' } });
  if (unsubscribe && draw() < profile.unsubscribes)
    acts.push({ at: at + GRAIN, act: { do: 'fetch', url: unsubscribe, method: 'POST' } });
  const back = draw();
  if (back < profile.replies * 0.08) {
    const text = ANSWERS[Math.floor(draw() * ANSWERS.length)] ?? 'Thanks';
    acts.push({ at: at + 2 * GRAIN, act: { do: 'mail', id: mail.id, kind: 'reply', text } });
  } else if (back > 0.9985) acts.push({ at: at + GRAIN, act: { do: 'mail', id: mail.id, kind: 'spam', text: '' } });
  else if (back > 0.985)
    acts.push({ at, act: { do: 'mail', id: mail.id, kind: 'away', text: 'I am away until Monday.' } });
  return acts;
}

/** What someone does about a text. */
export function reactionsToText(
  seed: string,
  text: { id: string; number: string; at: string; text: string }
): { at: number; act: Act }[] {
  const profile = profileOf(seed, text.number);
  const draw = draws(seed, 'text', text.id);
  const acts: { at: number; act: Act }[] = [];
  const link = /https?:\/\/\S+\/l\/[\w-]+/.exec(text.text)?.[0];
  const at = onGrain(Date.parse(text.at) + delay(1, draw()));
  if (link && draw() < profile.clicks * 0.8) acts.push({ at, act: { do: 'fetch', url: link, method: 'GET' } });
  if (draw() < profile.replies) {
    const words = draw() < 0.03 ? 'STOP' : (ANSWERS[Math.floor(draw() * ANSWERS.length)] ?? 'yes');
    acts.push({ at: at + GRAIN, act: { do: 'reply', number: text.number, text: words } });
  }
  return acts;
}

export interface PassersByOptions {
  port: number;
  seed: string;
  postbox: string;
  handset: string;
  /** Who comes by in the evenings and buys things; absent: nobody. */
  visitors?: Visitors | null;
}

/**
 * Starts them. `POST /clock { now }` tells them the time: they look for new
 * mail and texts, do what is due, and answer with how much they did and when
 * they next want to be told.
 */
export async function startPassersBy({
  port,
  seed,
  postbox,
  handset,
  visitors = null
}: PassersByOptions): Promise<{ port: number; close(): Promise<void> }> {
  const planned: Planned[] = [];
  let order = 0;
  let lastMail = 0;
  let lastText = 0;
  const plan = (acts: { at: number; act: Act }[]): void => {
    for (const { at, act } of acts) planned.push({ at, order: order++, act });
  };

  const look = async (): Promise<void> => {
    const mail = mailPage.parse(await (await fetch(`${postbox}/api/mail?whole=1&after=${lastMail}`)).json()).mail;
    for (const m of mail) plan(reactionsToMail(seed, m));
    lastMail = mail.at(-1)?.id ?? lastMail;
    const texts = textPage.parse(await (await fetch(`${handset}/api/texts?after=${lastText}`)).json()).texts;
    for (const t of texts) if (t.direction === 'out') plan(reactionsToText(seed, t));
    lastText = texts.at(-1)?.seq ?? lastText;
  };

  const perform = async (act: Act, at: number): Promise<void> => {
    if (act.do === 'reply') {
      const said = { number: act.number, text: act.text, at: new Date(at).toISOString() };
      await postJson(`${handset}/api/reply`, said, AbortSignal.timeout(PATIENCE_MS));
      return;
    }
    if (act.do === 'mail') {
      const back = { id: act.id, do: act.kind, text: act.text, at: new Date(at).toISOString() };
      await postJson(`${postbox}/api/answer`, back, AbortSignal.timeout(PATIENCE_MS));
      return;
    }
    const body = act.method === 'POST' ? new URLSearchParams({ 'List-Unsubscribe': 'One-Click' }) : null;
    const signal = AbortSignal.timeout(PATIENCE_MS);
    const response = await fetch(act.url, {
      method: act.method,
      headers: AS_A_READER,
      redirect: 'manual',
      body,
      signal
    });
    await response.arrayBuffer();
  };

  let first = true;
  let lastEvening = Infinity;
  const tick = async (now: number, act: boolean): Promise<{ done: number; next: string | null }> => {
    await look();
    // Evenings that passed without them are over.
    const evenings = visitors ? await comeBy(visitors, seed, act ? lastEvening : now, now) : 0;
    lastEvening = now;
    let done = evenings;
    // After a restart the mail of before is read again; what was due before now has been done.
    if (first) for (const p of planned.filter((p) => p.at < now)) planned.splice(planned.indexOf(p), 1);
    first = false;
    if (act) {
      const due = planned.filter((p) => p.at <= now).sort((a, b) => a.at - b.at || a.order - b.order);
      for (const p of due) planned.splice(planned.indexOf(p), 1);
      const waiting = [...due];
      await Promise.all(
        Array.from({ length: 8 }, async () => {
          // A link that no longer answers is given up, as people do.
          for (let p = waiting.shift(); p; p = waiting.shift()) await perform(p.act, now).catch(() => undefined);
        })
      );
      done += due.length;
    } else {
      // Time that passes without them leaves nothing to catch up with.
      for (const p of planned.filter((p) => p.at <= now)) planned.splice(planned.indexOf(p), 1);
    }
    const evening = visitors ? nextEvening(visitors, now) : Infinity;
    const next = planned.reduce((least, p) => Math.min(least, p.at), evening);
    return { done, next: next === Infinity ? null : new Date(next).toISOString() };
  };

  let last: Promise<unknown> = Promise.resolve();
  const http = await serve(
    {
      'POST /clock': async ({ body }) => {
        const { now, act } = z.object({ now: z.iso.datetime(), act: z.boolean().default(true) }).parse(body);
        // One tick at a time, or two would do the same reactions.
        const turn = last.then(() => tick(Date.parse(now), act));
        last = turn.catch(() => undefined);
        return { status: 200, json: await turn };
      }
    },
    port
  );
  return { port: http.port, close: http.close };
}
