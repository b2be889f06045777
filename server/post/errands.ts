/**
 * Errands of walks: a notice to a colleague, a call of a web address, a message that asks for a consent. Claimed under a
 * lease, run side by side, each recorded with what was answered. A worker that dies lets its lease run out, and the errand is
 * run again under the same id, by which whoever gets it knows a repeat (docs/decisions/0011, 0019).
 */
import { allFields } from '../engine/all-fields.ts';
import type { Happening } from '../../core/person/happening.ts';
import type { Channel, ConsentState } from '../../core/person/values.ts';
import { entryScope, type MessageScope } from '../../core/message/personal.ts';
import type { Step } from '../../core/steps/index.ts';
import { repaired } from '../../core/text/text.ts';
import { readClock } from '../workspace/clock.ts';
import { columns } from '../db/columns.ts';
import { changed } from '../db/notify.ts';
import { isNobodysFault, ts, type Pool } from '../db/pool.ts';
import { signToken } from '../intake/token.ts';
import { sendSms } from '../sms/gateway.ts';
import { fillAll, fillText } from '../mail/fill.ts';
import { callAddress, type Answered, type Outward } from './call.ts';
import { LEASE, Leases } from './leases.ts';
import { isSuppressed } from '../mail/reachable.ts';
import { errandKey } from '../mail/message-id.ts';
import { backoff, MOST_TRIES } from './outbox-record.ts';
import { senderName, type Post } from './outbox.ts';
import { colleague } from './colleague.ts';
import type { PlanBook } from '../engine/plans.ts';

interface ErrandRow {
  person_id: number;
  /** The number of the person under which it is tried: every try has the same id. */
  known_as: number;
  id: number;
  kind: 'notify' | 'call' | 'ask';
  walk_id: number;
  journey_id: number;
  version: number;
  step: string;
  visit: number;
  at: number;
  attempts: number;
  claim: number;
  fields: Record<string, unknown>;
  entry: Happening | null;
  /** Whose the journey is, and who made it. */
  owner: string | null;
}

/** What came of a try. `again`: it may come out otherwise another time. */
export type ErrandOutcome =
  /** `note`: why there was nothing to do. */
  | { ok: true; answer?: Answered; note?: string }
  | { ok: false; again: boolean; error: string; answer?: Answered }
  /** It is somebody else's by now, or its person is gone: nothing is done, and nothing recorded. */
  | 'not ours';

type Done = Exclude<ErrandOutcome, 'not ours'>;

const SIDE_BY_SIDE = 16;
/** What an errand asks right before it is run. */
interface MayRun {
  halted: boolean;
  /** Of the person, by channel. */
  addresses: Record<Channel, string | null>;
  suppressed: string[];
  consents: Partial<Record<Channel, ConsentState>>;
}

/** A server that does not answer is left alone for so long, but for one call now and then. */
const SLOW_MS = 30_000;
/** An outcome that could not be recorded for so long is given up: its lease is long over. */
const RECORD_FOR_MS = 60_000;

/** What is agreed to behind the link: the words that ask for it. */
const emailWording = (sender: string): string => `Please confirm that you want emails from ${sender}:`;
const textWording = (sender: string): string => `${sender}: please confirm that you want texts from us:`;

/** Its journey is neither paused nor ended, and sending is not stopped. */
const MAY_RUN = `not exists (select from journeys j where j.id = e.journey_id and j.state in ('paused', 'closed', 'archived'))
  and not exists (select from workspace where sending_stopped_at is not null)`;

export class Errands {
  /** Servers that did not answer lately, and until when they are left alone, by the machine's clock. */
  private readonly slow = new Map<string, number>();

  constructor(
    private readonly pool: Pool,
    private readonly plans: PlanBook,
    private readonly post: Post,
    private readonly outward: Outward
  ) {}

  /** Runs errands that are due, up to a handful side by side; how many. Calls are apart: their servers are strangers'. */
  async run(which: 'calls' | 'messages'): Promise<number> {
    const clock = await readClock(this.pool);
    const claimed = await this.claim(clock.now, which);
    if (!claimed.length) return 0;
    await this.plans.ensure(this.pool, claimed);
    const rows = await this.withoutSlow(claimed);
    // A server may take longer than a lease: whoever waits for it keeps what it has claimed.
    const leases = new Leases<ErrandRow>(this.pool, 'errands');
    leases.hold(rows);
    const done = await Promise.allSettled(
      rows.map(async (row) => {
        const outcome = await this.attempt(row, clock.now).catch((error: unknown): ErrandOutcome => ({
          ok: false,
          again: true,
          error: (error as Error).message
        }));
        if (outcome !== 'not ours') await this.recordInTime(row, outcome, clock.now, clock.kind === 'practice');
        leases.letGo(row);
      })
    );
    leases.close();
    // One that cannot be written is told once the others, which go on, are done.
    for (const result of done) if (result.status === 'rejected') throw result.reason;
    return claimed.length;
  }

  /** Those whose server answers: of one that just did not, one call is tried, and the others wait, untried. */
  private async withoutSlow(rows: ErrandRow[]): Promise<ErrandRow[]> {
    const probed = new Set<string>();
    const going: ErrandRow[] = [];
    const waiting: ErrandRow[] = [];
    for (const row of rows) {
      const host = this.hostOf(row);
      const until = host === null ? undefined : this.slow.get(host);
      if (host === null || until === undefined) going.push(row);
      else if (until <= Date.now() && !probed.has(host)) {
        probed.add(host);
        going.push(row);
      } else waiting.push(row);
    }
    if (waiting.length) {
      await this.pool.query({
        name: 'put-errands-back',
        text: `
          update errands e set state = 'queued', attempts = e.attempts - 1,
            not_before = clock_timestamp() + make_interval(secs => ${SLOW_MS / 1000})
          from unnest($1::bigint[], $2::bigint[], $3::integer[]) as t (person_id, id, claim)
          where e.person_id = t.person_id and e.id = t.id and e.claim = t.claim`,
        values: columns(waiting, ['person_id', 'id', 'claim'])
      });
    }
    return going;
  }

  /** Whose server a call is for; `null` for other errands. */
  private hostOf(row: ErrandRow): string | null {
    const step = this.plans.found(row.journey_id, row.version)?.byKey.get(row.step)?.step;
    return step?.kind === 'call' ? new URL(step.url).host : null;
  }

  private async claim(now: number, which: 'calls' | 'messages'): Promise<ErrandRow[]> {
    const { rows } = await this.pool.query<ErrandRow>({
      name: 'claim-errands',
      text: `
        with waiting as (
          select e.person_id, e.id from errands e
          where e.kind = any($3::text[]) and e.state in ('queued', 'sending') and e.not_before is not null
            and e.not_before <= clock_timestamp() and e.at <= $1 and ${MAY_RUN}
          order by e.not_before
          limit $2
          for update skip locked
        ), fresh as (
          select e.person_id, e.id from errands e
          where e.kind = any($3::text[]) and e.state in ('queued', 'sending') and e.not_before is null and e.at <= $1 and ${MAY_RUN}
          order by e.at
          limit greatest($2 - (select count(*) from waiting), 0)
          for update skip locked
        ), due as (
          select * from waiting union all select * from fresh
        )
        update errands e
        set state = 'sending', attempts = e.attempts + 1, claim = e.claim + 1,
          not_before = ${LEASE}
        from due
        join people p on p.id = due.person_id
        join errands own on own.person_id = due.person_id and own.id = due.id
        left join walks w on w.person_id = own.person_id and w.id = own.walk_id
        left join journeys j on j.id = own.journey_id
        where e.person_id = due.person_id and e.id = due.id
        returning e.person_id, coalesce(e.known_as, e.person_id) as known_as, e.id, e.kind, e.walk_id, e.journey_id, e.version, e.step, e.visit, e.at, e.attempts, e.claim,
          ${allFields('p')} as fields,
          w.more -> 'entry' as entry,
          coalesce(p.fields ->> 'owner', j.owner, j.created_by) as owner`,
      values: [ts(now), SIDE_BY_SIDE, which === 'calls' ? ['call'] : ['notify', 'ask']]
    });
    return rows;
  }

  /** Asked right before an errand is run, as {@link mayGo} is for messages; `null`: it is not ours any more. */
  private async mayRun(row: ErrandRow): Promise<MayRun | null> {
    const { rows } = await this.pool.query<MayRun>({
      name: 'may-run',
      text: `
        select not (${MAY_RUN}) as halted, jsonb_build_object('email', p.email, 'sms', p.phone) as addresses,
          array(select s.address from suppressions s where s.address in (lower(p.email), lower(p.phone))) as suppressed,
          (select coalesce(jsonb_object_agg(channel, state), '{}') from consents c where c.person_id = p.id) as consents
        from errands e join people p on p.id = e.person_id
        where e.person_id = $1 and e.id = $2 and e.claim = $3 and e.state = 'sending' and e.not_before > clock_timestamp()`,
      values: [row.person_id, row.id, row.claim]
    });
    return rows[0] ?? null;
  }

  private async attempt(row: ErrandRow, now: number): Promise<ErrandOutcome> {
    const may = await this.mayRun(row);
    if (!may) return 'not ours';
    if (may.halted) return { ok: false, again: true, error: 'sending was stopped, or the journey, before it was done' };
    const plan = this.plans.plan(row.journey_id, row.version);
    const step = plan.byKey.get(row.step)?.step;
    const name = plan.document.name ?? plan.document.key;
    const scope: MessageScope = {
      person: row.fields,
      entry: entryScope(row.entry),
      journey: { name },
      links: { unsubscribe: '' }
    };
    const filled = (template: string): Promise<string> => fillText({ what: 'text', template, scope });
    const key = errandKey(this.post.secret, { person: row.known_as, errand: row.id });
    try {
      if (step?.kind === 'notify' && row.kind === 'notify')
        return await this.notify(row, step.to, await filled(step.text), name, key, now);
      if (step?.kind === 'call' && row.kind === 'call') {
        const at = {
          journey: plan.key,
          walk: row.walk_id,
          visit: row.visit,
          person: { id: row.person_id, fields: row.fields }
        };
        const [data] = await fillAll([{ what: 'call', step, at, scope }]);
        if (data?.what !== 'call')
          return { ok: false, again: false, error: data?.what === 'error' ? data.error : 'it was not filled in' };
        const called = await callAddress(this.outward, {
          id: key,
          url: step.url,
          type: 'journey.called',
          at: now,
          data: data.data
        });
        // Without an answer at all it is the server's matter, and all other calls of it would wait as long.
        if (!called.ok && called.again && !called.answer) this.slow.set(new URL(step.url).host, Date.now() + SLOW_MS);
        else this.slow.delete(new URL(step.url).host);
        return called;
      }
      if (step?.kind === 'consent' && row.kind === 'ask') return await this.ask(row, step, may, key, now);
    } catch (error) {
      // A template that cannot be filled in does not fill in another time either; a database that is away comes back.
      return { ok: false, again: isNobodysFault(error), error: (error as Error).message };
    }
    return {
      ok: false,
      again: false,
      error: `the step ${row.step} asks for nothing of this kind in version ${row.version}`
    };
  }

  private async notify(
    row: ErrandRow,
    to: string,
    text: string,
    journey: string,
    key: string,
    now: number
  ): Promise<ErrandOutcome> {
    const found = await colleague(this.pool, to === 'owner' ? row.owner : to);
    if (!found)
      return {
        ok: false,
        again: false,
        error: `there is no colleague “${to === 'owner' ? (row.owner ?? 'owner') : to}” with an address`
      };
    const { rows: barred } = await this.pool.query(`select where ${isSuppressed('$1::text')}`, [found.email]);
    if (barred.length)
      return { ok: false, again: false, error: `nobody may write to ${found.email} any more: it is suppressed` };
    const who =
      [row.fields['first_name'], row.fields['last_name']].filter(Boolean).join(' ') ||
      String(row.fields['email'] ?? row.fields['phone'] ?? '');
    const words = repaired(text, text.length);
    const page = new URL(`/people/${row.person_id}`, this.post.base).toString();
    return this.mail(
      { to: found.email, subject: `${journey}: ${who}`, text: `${words}\n\n${who}\n${page}\n` },
      key,
      now
    );
  }

  /** Asks for a consent: nothing is given by a message that was only sent; whoever gets it has to say so on the page behind it. */
  private async ask(
    row: ErrandRow,
    { channel }: Extract<Step, { kind: 'consent' }>,
    may: MayRun,
    key: string,
    now: number
  ): Promise<ErrandOutcome> {
    const address = may.addresses[channel];
    if (address === null)
      return { ok: true, note: channel === 'email' ? 'they have no address' : 'they have no number' };
    if (may.suppressed.includes(address.toLowerCase()))
      return { ok: true, note: 'their address is suppressed: nothing is sent to it' };
    if (may.consents[channel] === 'given') return { ok: true, note: 'they have given it meanwhile' };
    if (may.consents[channel] === 'withdrawn')
      return { ok: true, note: 'they have withdrawn it: they are not written to again for it' };
    const token = signToken(this.post.secret, 'confirm', { person: row.person_id, message: row.id, number: 0 });
    const link = new URL(`/c/${token}`, this.post.base).toString();
    const sender = senderName(this.post.mailFrom);
    const wording = channel === 'email' ? emailWording(sender) : textWording(sender);
    // Kept before it goes: what is confirmed behind the link is this address, in these words.
    const { rowCount } = await this.pool.query({
      name: 'keep-asking',
      text: `update errands set address = $4, wording = $5 where person_id = $1 and id = $2 and claim = $3 and state = 'sending'`,
      values: [row.person_id, row.id, row.claim, address, wording]
    });
    if (!rowCount) return 'not ours';
    if (channel === 'email')
      return this.mail(
        {
          to: address,
          subject: `May we write to you? Please confirm`,
          text: `${wording}\n\n${link}\n\nWithout it we send you none. If you did not ask for them, there is nothing to do.\n`
        },
        key,
        now
      );
    const handed = await sendSms(this.post.smsUrl, {
      id: key,
      from: this.post.smsFrom,
      to: address,
      text: `${wording} ${link}`,
      at: now
    });
    return handed.ok ? { ok: true } : { ok: false, again: handed.kind !== 'mailbox', error: handed.error };
  }

  private async mail(
    { to, subject, text }: { to: string; subject: string; text: string },
    key: string,
    now: number
  ): Promise<ErrandOutcome> {
    const handed = await this.post.mailer.send({
      from: this.post.mailFrom,
      to,
      replyTo: this.post.replyTo,
      messageId: `<${key}@${this.post.mailDomain}>`,
      returnPath: `bounce+${key}@${this.post.mailDomain}`,
      date: now,
      subject: subject.replace(/\s+/g, ' ').slice(0, 250).toWellFormed(),
      text,
      html: null,
      unsubscribe: null
    });
    return handed.ok ? { ok: true } : { ok: false, again: handed.kind !== 'mailbox', error: handed.error };
  }

  /** Keeps trying while the database is away or full: what was done must be known before anyone else takes it up. */
  private async recordInTime(row: ErrandRow, outcome: Done, now: number, practice: boolean): Promise<void> {
    for (const until = Date.now() + RECORD_FOR_MS; ;) {
      try {
        return await this.record(row, outcome, now, practice);
      } catch (error) {
        if (!isNobodysFault(error) || Date.now() > until) throw error;
        await new Promise((resolve) => setTimeout(resolve, 200));
      }
    }
  }

  private async record(row: ErrandRow, outcome: Done, now: number, practice: boolean): Promise<void> {
    const again = !outcome.ok && outcome.again && row.attempts < MOST_TRIES;
    await this.pool.query({
      name: 'record-errand',
      text: `
        update errands
        set state = $4, error = $5, answer = $6, ended_at = $7, not_before = clock_timestamp() + make_interval(secs => $8)
        where person_id = $1 and id = $2 and claim = $3`,
      values: [
        row.person_id,
        row.id,
        row.claim,
        outcome.ok ? 'done' : again ? 'queued' : 'failed',
        outcome.ok ? null : repaired(outcome.error, 500),
        outcome.answer
          ? JSON.stringify({ ...outcome.answer, body: repaired(outcome.answer.body, 2000) })
          : outcome.ok && outcome.note !== undefined
            ? JSON.stringify({ note: outcome.note })
            : null,
        again ? null : ts(now),
        again ? backoff(row.id, row.attempts, practice) / 1000 : null
      ]
    });
    await changed(this.pool, { journeys: [row.journey_id], people: [row.person_id], post: !outcome.ok });
  }
}
