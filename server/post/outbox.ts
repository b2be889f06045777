/**
 * The outbox of one channel: claims messages under a lease, fills them in,
 * hands them over side by side, and records each as its outcome comes. A sender
 * that dies lets its lease run out; the message is then sent again with the
 * same id, so it is never lost, and a repeat can be recognised. The one place
 * where a message can go out twice is a sender that dies between the other
 * side's answer and its own record: docs/decisions/0011.
 */
import type { Channel } from '../../core/person/values.ts';
import { isMessage } from '../../core/steps/index.ts';
import type { EmailStep } from '../../core/steps/email.ts';
import type { SmsStep } from '../../core/steps/sms.ts';
import { readClock } from '../workspace/clock.ts';
import { isNobodysFault, isUnavailable, type Pool } from '../db/pool.ts';
import type { Handed } from '../mail/answer.ts';
import { keepParts, restoreParts, type Content } from '../mail/content.ts';
import { fillAll } from '../mail/fill.ts';
import { renderEmail, renderSms, scopeOf, type RenderContext } from '../mail/render.ts';
import { Withheld, type Mailer } from '../mail/smtp.ts';
import { sendSms } from '../sms/gateway.ts';
import { gateOf } from './channels.ts';
import { messageKey, type MessageRef } from '../mail/message-id.ts';
import { LEASE_SECONDS, Leases } from './leases.ts';
import { barredWords, mayGo } from './may-go.ts';
import { claimMessages, keepContents, putBack, type OutboxRow } from './outbox-rows.ts';
import { withinRates, type Rates } from './rates.ts';
import { record, recordBare, type Outcome } from './outbox-record.ts';
import { Unrecorded } from './unrecorded.ts';
import type { PlanBook } from '../engine/plans.ts';

export interface Post {
  mailer: Mailer;
  smsUrl: string;
  smsFrom: string;
  mailFrom: string;
  mailDomain: string;
  /** Where answers to mails go that name no other address; `null`: to the sender. */
  replyTo: string | null;
  /** Whether mail to our own domain comes back to us: answers and unsubscriptions are then taken by addresses of ours. */
  takesMail: boolean;
  base: string;
  secret: Buffer;
  /** How fast messages go out; absent: as fast as they are taken. */
  rates?: Rates;
  /** How late a message of each channel may go out, ms of the workspace clock. */
  latest: Record<Channel, number>;
}

const NO_RATES: Rates = { channel: {} };

/** Messages handed over side by side. */
const SIDE_BY_SIDE = 32;
/** Between two tries to record an outcome while the database is away. */
const RECORD_AGAIN_MS = 200;

/** Why a row in hand is not handed over after all: somebody else has it, or it waits on, untried. */
const LOST = 'lost';
const LATER = 'later';
type NotGone = typeof LOST | typeof LATER;

export class Outbox {
  private readonly inHand: Leases<OutboxRow>;
  private outcomes: Outcome[] = [];
  private recording = false;
  private waiters: (() => void)[] = [];
  /** When the database could not be asked last, by the machine's clock. */
  private awayAt = -Infinity;
  private readonly unrecorded: Unrecorded;
  /** Whether what came before could not be recorded yet. */
  private stuck = false;
  /** Whether what a process before this one could not record has been. */
  private begun = false;

  constructor(
    readonly channel: Channel,
    private readonly pool: Pool,
    private readonly plans: PlanBook,
    private readonly post: Post,
    /** Leases found run out count once the database has been there for so many seconds. */
    private readonly grace = LEASE_SECONDS,
    /** Where outcomes that could not be recorded are kept over a restart. */
    folder: string | null = null
  ) {
    this.unrecorded = new Unrecorded(folder, channel);
    this.inHand = new Leases(pool, 'messages', (there) => this.noteDatabase(there));
  }

  /** Messages that are being handed over or recorded now. */
  get busy(): number {
    return this.inHand.size;
  }

  /** Takes as many messages as there is room for, and begins to hand them over; how many were taken. */
  async fill(most = SIDE_BY_SIDE): Promise<number> {
    await this.recordKept();
    const room = Math.min(most, SIDE_BY_SIDE) - this.inHand.size;
    // A few at a time would be a statement for each.
    if (room < SIDE_BY_SIDE / 4 && this.inHand.size) return 0;
    const gate = await gateOf(this.pool, this.channel);
    if (gate === 'stopped' || (gate === 'probe' && this.inHand.size)) return 0;
    const clock = await readClock(this.pool);
    const claimed = await claimMessages(this.pool, this.channel, clock.now, {
      most: gate === 'probe' ? 1 : room,
      // Where the database was away for this process, it may have been for whoever holds a lease that ran out meanwhile.
      grace: Math.max(this.grace, this.awayAt > Date.now() - this.grace * 1000 ? Infinity : 0),
      not: this.inHand.ids()
    });
    if (!claimed.length) return 0;
    this.inHand.hold(claimed);
    const practice = clock.kind === 'practice';
    let rows: OutboxRow[] = [];
    try {
      for (const row of claimed)
        if (row.barred)
          this.done({
            row,
            handed: { ok: false, kind: 'withheld', error: barredWords(row.barred, row.channel) },
            now: clock.now,
            practice
          });
      const free = claimed.filter((row) => !row.barred);
      const within = await withinRates(this.pool, this.channel, this.post.rates ?? NO_RATES, free);
      rows = within.now;
      if (within.later.length) await putBack(this.pool, within.later);
      for (const { row } of within.later) this.inHand.letGo(row);
      if (!rows.length) return claimed.length - free.length;
      await this.plans.ensure(this.pool, rows);
      await this.begin(rows, clock.now, practice);
    } catch (error) {
      // Nothing was handed over yet: the lease runs out, and they are taken again.
      for (const row of claimed) if (!row.barred) this.inHand.letGo(row);
      throw error;
    }
    return claimed.length;
  }

  /** Before anything is claimed: what a process that was ended had not recorded any more is, or it would be sent again. */
  private async recordKept(): Promise<void> {
    if (this.begun) return;
    const kept = this.unrecorded.takeOver();
    if (kept.length) await this.recordPart(kept);
    this.begun = true;
  }

  /** Resolves once a message in hand is done and recorded, or after so many milliseconds. */
  async progress(ms: number): Promise<void> {
    if (!this.inHand.size) return;
    await new Promise<void>((resolve) => {
      const timer = setTimeout(resolve, ms);
      this.waiters.push(() => {
        clearTimeout(timer);
        resolve();
      });
    });
  }

  /** Waits until nothing is in hand, at most so many milliseconds. */
  async drain(ms: number): Promise<void> {
    for (const until = Date.now() + ms; this.inHand.size && Date.now() < until;)
      await this.progress(until - Date.now());
  }

  close(): void {
    this.inHand.close();
  }

  private noteDatabase(there: boolean): void {
    if (!there) this.awayAt = Date.now();
  }

  /** Fills in what has no words yet, keeps the words, and hands over. */
  private async begin(rows: OutboxRow[], now: number, practice: boolean): Promise<void> {
    const going: { row: OutboxRow; step: EmailStep | SmsStep; name: string }[] = [];
    for (const row of rows) {
      const found = this.stepOf(row, now, practice);
      if (found) going.push({ row, ...found });
    }
    const fresh = going.filter(({ row }) => row.body === null);
    const filled = await fillAll(
      fresh.map(({ row, step, name }) => {
        const recipient = { person: row.known_as, message: row.id, channel: row.channel };
        return { what: 'message', step, scope: scopeOf(recipient, row.fields, name, this.context(), row.entry) };
      })
    );
    const contents = new Map<OutboxRow, Content>();
    fresh.forEach(({ row }, i) => {
      const one = filled[i];
      if (one?.what === 'message') contents.set(row, one.content);
      else this.not(row, 'filling-in', one?.what === 'error' ? one.error : 'it was not filled in', now, practice);
    });
    if (contents.size) {
      await keepContents(
        this.pool,
        [...contents].map(([row, content]) => ({
          ...row,
          subject: content.subject,
          preview: content.preview,
          ...keepParts(content.parts)
        }))
      );
    }
    for (const { row, step } of going) {
      const content =
        row.body === null
          ? contents.get(row)
          : { subject: row.subject, preview: row.preview, parts: restoreParts(row.body, row.links ?? []) };
      if (!content) continue;
      void this.handOver(row, step, content, now).then(async (handed) => {
        if (typeof handed === 'object') this.done({ row, handed, now, practice });
        else await this.notGone(row, handed);
      });
    }
  }

  /** A row does not go out now, which is said as its outcome. */
  private not(
    row: OutboxRow,
    kind: 'filling-in' | 'too-late' | 'failed',
    error: string,
    now: number,
    practice: boolean
  ): void {
    this.done({ row, handed: { ok: false, kind, error }, now, practice });
  }

  /** The step that a row sends, and what its journey is called; `null` where it does not go out now. */
  private stepOf(row: OutboxRow, now: number, practice: boolean): { step: EmailStep | SmsStep; name: string } | null {
    const not = (kind: 'filling-in' | 'too-late' | 'failed', error: string): null => {
      this.not(row, kind, error, now, practice);
      return null;
    };
    const late = now - row.try_at;
    const most = this.post.latest[this.channel];
    if (late > most) {
      const hours = Math.round(most / 3_600_000);
      return not(
        'too-late',
        `too late: it was due more than ${hours} hours ago${row.error ? `; before: ${row.error}` : ''}`
      );
    }
    try {
      const plan = this.plans.plan(row.journey_id, row.version);
      const step = plan.byKey.get(row.step)?.step;
      if (!step || !isMessage(step) || step.kind !== row.channel)
        return not('failed', `the step ${row.step} sends nothing in version ${row.version}`);
      return { step, name: plan.document.name ?? plan.document.key };
    } catch (error) {
      return not('filling-in', (error as Error).message);
    }
  }

  private context(): RenderContext {
    return { base: this.post.base, secret: this.post.secret, sender: senderName(this.post.mailFrom) };
  }

  /**
   * Asked right before the wire, when a connection is there: whether it is still ours and may go. `null`: it goes. What was in
   * hand of a journey that was paused meanwhile waits on; an address that has changed is taken up anew.
   */
  private async leave(row: OutboxRow): Promise<Handed | NotGone | null> {
    if (!this.inHand.has(row)) return LOST;
    const may = await mayGo(this.pool, row).catch(() => null);
    if (!may) return LOST;
    if (may.halted) return LATER;
    if (may.barred) return { ok: false, kind: 'withheld', error: barredWords(may.barred, row.channel) };
    return may.address === row.address ? null : LATER;
  }

  private async handOver(
    row: OutboxRow,
    step: EmailStep | SmsStep,
    content: Content,
    now: number
  ): Promise<Handed | NotGone> {
    const { post } = this;
    const recipient = { person: row.known_as, message: row.id, channel: row.channel };
    const ref = { person: row.known_as, message: row.id, copy: row.copy };
    const key = messageKey(post.secret, ref);
    try {
      if (step.kind === 'sms') {
        const text = renderSms(content, recipient, this.context());
        const held = await this.leave(row);
        return held ?? (await sendSms(post.smsUrl, { id: key, from: post.smsFrom, to: row.address, text, at: now }));
      }
      return await post.mailer.send(
        {
          ...renderEmail(content, step, recipient, this.context()),
          from: senderOf(post.mailFrom, step.from, row.owner),
          inReplyTo: row.answers && this.messageIdOf(row.answers),
          to: row.address,
          replyTo: step.replyTo ?? post.replyTo ?? (post.takesMail ? `reply+${key}@${post.mailDomain}` : null),
          unsubscribeMail:
            post.takesMail && step.unsubscribe !== false ? `unsubscribe+${key}@${post.mailDomain}` : null,
          messageId: this.messageIdOf(ref),
          returnPath: `bounce+${key}@${post.mailDomain}`,
          date: now
        },
        async () => {
          const held = await this.leave(row);
          if (held !== null) throw new Withheld(held);
        }
      );
    } catch (error) {
      if (error instanceof Withheld) return error.why as Handed | NotGone;
      return { ok: false, kind: 'temporary', error: (error as Error).message };
    }
  }

  /** Not handed over, and no outcome: it waits on, untried; one that is somebody else's is theirs. */
  private async notGone(row: OutboxRow, why: NotGone): Promise<void> {
    if (why === LATER) await putBack(this.pool, [{ row, seconds: 0 }]).catch(() => this.noteDatabase(false));
    this.inHand.letGo(row);
    this.wake();
  }

  private messageIdOf(ref: MessageRef): string {
    return `<${messageKey(this.post.secret, ref)}@${this.post.mailDomain}>`;
  }

  private done(outcome: Outcome): void {
    this.outcomes.push(outcome);
    if (this.stuck) this.unrecorded.keep([outcome]);
    if (!this.recording) void this.recordAll();
  }

  /** Records what has come, together, and goes on while more comes. */
  private async recordAll(): Promise<void> {
    this.recording = true;
    while (this.outcomes.length) {
      const part = this.outcomes;
      this.outcomes = [];
      await this.recordPart(part);
      for (const { row } of part) this.inHand.letGo(row);
      this.wake();
    }
    this.recording = false;
  }

  private wake(): void {
    const { waiters } = this;
    this.waiters = [];
    for (const wake of waiters) wake();
  }

  /** Keeps trying for as long as this process lives: what was accepted must be known before anyone else takes it up. */
  private async recordPart(part: Outcome[]): Promise<void> {
    for (;;) {
      try {
        await record(this.pool, this.channel, part);
        this.stuck = false;
        this.unrecorded.recorded(part);
        return;
      } catch (error) {
        if (!isNobodysFault(error) && part.length > 1) {
          // One that cannot be written is no reason to forget the others.
          for (const one of part) await this.recordPart([one]);
          return;
        }
        const [one] = part;
        // Refused for what it says, not for the moment: that it is over is noted without it, and the others go on. Where
        // even that fails, it is tried again: forgotten, it would be sent a second time.
        if (!isNobodysFault(error) && one) {
          const noted = await recordBare(this.pool, one, error).then(
            () => true,
            () => false
          );
          if (noted) {
            this.unrecorded.recorded(part);
            return;
          }
        }
        if (isUnavailable(error)) this.noteDatabase(false);
        // What comes behind it waits as well, and is no less sent.
        this.stuck = true;
        this.unrecorded.keep([...part, ...this.outcomes]);
        await new Promise((resolve) => setTimeout(resolve, RECORD_AGAIN_MS));
      }
    }
  }
}

/**
 * Who a mail says it is from: the workspace's address, under the name that the step chose: a sender's, or that of the
 * person's owner where they have one. An address is ours to write from only within the domain of the workspace's own.
 */
export function senderOf(own: string, chosen: string | undefined, owner: string | null): string {
  const address = /<([^>]+)>\s*$/.exec(own)?.[1] ?? own;
  const wanted = chosen === 'owner' ? owner : chosen;
  if (!wanted) return own;
  const given = /^(.*?)\s*<([^<>\s]+@[^<>\s]+)>$/.exec(wanted) ?? (wanted.includes('@') ? [wanted, '', wanted] : null);
  const domain = (a: string): string => a.slice(a.lastIndexOf('@') + 1).toLowerCase();
  const from = given?.[2] && domain(given[2]) === domain(address) ? given[2] : address;
  const name = (given ? given[1] : wanted)?.replace(/["\\<>\r\n]/g, '').trim();
  return name ? `"${name}" <${from}>` : from;
}

/** The name in a sender such as `Name <address>`. */
export function senderName(from: string): string {
  return /^"?([^"<]+?)"?\s*</.exec(from)?.[1] ?? from;
}
