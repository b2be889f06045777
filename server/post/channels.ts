/**
 * Whether a channel can be used at all. When a provider refuses us, or is away,
 * ten times alike without a success in between, sending stops by itself: one
 * message is tried now and then, and the first that goes through lets all the
 * others go. Nobody's message is used up meanwhile.
 */
import type { Channel } from '../../core/person/values.ts';
import { repaired } from '../../core/text/text.ts';
import { changed, notify } from '../db/notify.ts';
import type { Db } from '../db/pool.ts';

/** So many refusals alike, one after another, stop a channel. */
export const ALIKE = 10;
/**
 * Between two messages that are tried while it is stopped, in seconds, by the machine's clock: 5, 10, 20, … 300. On the
 * practice clock somebody stands and waits for it: at most 15.
 */
const PROBE_SECONDS = `least(5 * 2 ^ least(probes, 6), (select case clock when 'practice' then 15 else 300 end from workspace))`;

export type Gate = 'open' | 'probe' | 'stopped';

/** Whether messages of a channel may be claimed: all, or one to see whether it is mended, or none. */
export async function gateOf(db: Db, channel: Channel): Promise<Gate> {
  const { rows } = await db.query<{ halted: boolean; stopped: boolean; due: boolean }>({
    name: 'gate',
    text: `
      select w.sending_stopped_at is not null as halted, c.stopped_at is not null as stopped,
        coalesce(c.next_probe <= clock_timestamp(), true) as due
      from workspace w left join channels c on c.channel = $1`,
    values: [channel]
  });
  if (rows[0]?.halted) return 'stopped';
  if (!rows[0]?.stopped) return 'open';
  if (!rows[0].due) return 'stopped';
  const probe = await db.query({
    name: 'take-probe',
    text: `
      update channels
      set probes = probes + 1, next_probe = clock_timestamp() + make_interval(secs => ${PROBE_SECONDS})
      where channel = $1 and stopped_at is not null and coalesce(next_probe <= clock_timestamp(), true)`,
    values: [channel]
  });
  return probe.rowCount ? 'probe' : 'stopped';
}

/** What makes two answers alike: the words without what names one message, one host's clock or one queue. */
export const alikeness = (error: string): string =>
  repaired(
    error
      .replace(/<[^>]*>|\S+@\S+/g, '…')
      .replace(/\b[0-9A-Za-z]*\d[0-9A-Za-z]{7,}\b/g, '…')
      .replace(/\d{1,3}(?:\.\d{1,3}){3}(?::\d+)?/g, '…'),
    300
  );

/** What is in the way of everybody's messages: it refuses us, or there is no answer to be had. */
export interface Matter {
  is: 'ours' | 'away';
  error: string;
}

/** Notes what is a matter of ours. True where sending has just stopped. */
export async function noteRefusals(db: Db, channel: Channel, all: Matter[]): Promise<boolean> {
  const last = all.at(-1);
  if (last === undefined) return false;
  const matter = alikeness(last.error);
  const alike = all.filter((m) => alikeness(m.error) === matter).length;
  const { rows } = await db.query<{ stopped: boolean }>({
    name: 'note-refusals',
    text: `
      update channels c
      set matter = $2, matter_is = $4, alike = case when c.matter = $2 then c.alike + $3 else $3 end,
        stopped_at = case when c.stopped_at is not null then c.stopped_at
          when (case when c.matter = $2 then c.alike + $3 else $3 end) >= ${ALIKE} then clock_timestamp() end,
        next_probe = case when c.stopped_at is null then clock_timestamp() + interval '5 seconds' else c.next_probe end,
        probes = case when c.stopped_at is null then 0 else c.probes end
      from (select channel, stopped_at as before from channels where channel = $1 for update) as b
      where c.channel = b.channel
      returning c.stopped_at is not null and b.before is null as stopped`,
    values: [channel, matter, alike, last.is]
  });
  return rows[0]?.stopped ?? false;
}

/** Notes that messages went through: nothing is in the way, and those that waited for it need not wait on. */
export async function noteSuccess(db: Db, channel: Channel): Promise<void> {
  const { rows } = await db.query<{ was: boolean }>({
    name: 'note-success',
    text: `
      update channels c set matter = null, alike = 0, stopped_at = null, next_probe = null, probes = 0
      from (select channel, stopped_at from channels where channel = $1 and (alike > 0 or stopped_at is not null) for update) as b
      where c.channel = b.channel
      returning b.stopped_at is not null as was`,
    values: [channel]
  });
  if (rows[0]?.was) await letWaitingGo(db, channel);
}

/** Lets those go that wait for a matter of ours. */
async function letWaitingGo(db: Db, channel: Channel): Promise<void> {
  await db.query({
    name: 'let-waiting-go',
    text: `update messages set not_before = null
           where channel = $1 and state = 'queued' and not_before is not null and trouble in ('ours', 'away')`,
    values: [channel]
  });
  await notify(db, 'outbox');
  await changed(db, { post: true });
}

/** Someone says that it is mended: sending goes on, and stops again where it is not. */
export async function resume(db: Db, channel: Channel): Promise<boolean> {
  const { rowCount } = await db.query(
    `update channels set alike = 0, matter = null, stopped_at = null, next_probe = null, probes = 0
     where channel = $1 and stopped_at is not null`,
    [channel]
  );
  await letWaitingGo(db, channel);
  return rowCount === 1;
}

export interface StoppedChannel {
  channel: Channel;
  matter: string;
  is: Matter['is'];
  /** UTC ms, of the machine's clock. */
  since: number;
  /** When one message is tried next, UTC ms of the machine's clock. */
  nextProbe: number;
  /** Messages that are due and wait; counted up to {@link MOST_COUNTED}. */
  waiting: number;
}

export const MOST_COUNTED = 100_000;

/** Channels that have stopped, with what waits in them at the workspace's present instant. */
export async function stoppedChannels(db: Db, now: string | null): Promise<StoppedChannel[]> {
  const { rows } = await db.query<StoppedChannel>({
    name: 'stopped-channels',
    text: `
      select c.channel, c.matter, c.matter_is as is, c.stopped_at as since, c.next_probe as "nextProbe",
        (select count(*) from (
          select from messages m
          where m.channel = c.channel and m.state in ('queued', 'sending') and m.try_at <= $1
          limit ${MOST_COUNTED}) as w) as waiting
      from channels c where c.stopped_at is not null`,
    values: [now]
  });
  return rows;
}
