/** What Today shows: what goes out, what needs someone, what moved since yesterday. */
import { nameSql } from '../db/person-name.ts';
import { allFields } from '../engine/all-fields.ts';
import { acceptedEverywhere } from '../journeys/accepted.ts';
import { findingsOf } from '../../core/check/index.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { fromWall, toWall, wallDay } from '../../core/time/civil.ts';
import { DAY, HOUR, MINUTE } from '../../core/time/duration.ts';
import { readClock } from '../workspace/clock.ts';
import { ts, type Db, type Pool } from '../db/pool.ts';
import { MOST_COUNTED, stoppedChannels } from '../post/channels.ts';
import { ALL_DAYS, QUARTER } from '../engine/count.ts';
import { doubts } from '../post/doubts.ts';
import { filled } from '../tasks/tasks.ts';
import { whoIsAside } from '../engine/set-aside.ts';
import { halted, type Halt } from '../journeys/brake.ts';
import { messagesAhead } from './ahead.ts';

export interface Hour {
  /** Start of the hour, UTC ms. */
  at: number;
  /** Wall-clock hour in the workspace's zone. */
  hour: number;
  goneEmail: number;
  goneSms: number;
  email: number;
  sms: number;
}

/** Errors of a line that was there and broke. */
const BREAKS_OFF = /closed unexpectedly|socket close|ECONNRESET|EPIPE|hang up/i;

export interface Need {
  kind:
    'aside' | 'matter' | 'failure' | 'finding' | 'reply' | 'retry' | 'stray' | 'task' | 'live-at' | 'round' | 'doubt';
  title: string;
  detail: string;
  /** Where more of it is shown; absent where there is no such place. */
  href?: string;
  act?: string;
  /** What can be done about it at once: the form action's name, its value, and the words on its button. */
  action?: { name: 'aside' | 'resume' | 'retry' | 'again' | 'doubt'; value: string; label: string };
}

export interface Movement {
  what: string;
  count: number;
  /** Average of the same 24 hours one to four weeks ago; `null` where there is no such past. */
  usual: number | null;
}

export interface Today {
  now: number;
  zone: string;
  walking: number;
  journeys: number;
  ahead: { email: number; sms: number; notCounted: number };
  hours: Hour[];
  needs: Need[];
  movement: Movement[];
  /** All sending of the workspace, stopped by hand. */
  halt: Halt;
}

export async function today(pool: Pool): Promise<Today> {
  const { now, zone } = await readClock(pool);
  const [ahead, gone, walking, needs, movement, halt] = await Promise.all([
    messagesAhead(pool),
    goneToday(pool, now, midnightOf(zone, now)),
    pool.query<{ people: number; journeys: number }>({
      name: 'today-walking',
      text: `
        select (select coalesce(sum(n), 0) from flow where quarter = '-infinity' and what = 'walkers') as people,
          (select count(*) from (
            select from counters
            where day = '${ALL_DAYS}' and step = '' and what = 'walking' and journey_id in (select id from journeys)
            group by journey_id having sum(n) > 0) as j) as journeys`
    }),
    needsYou(pool, now),
    movementOf(pool, now),
    halted(pool)
  ]);
  const first = midnightOf(zone, now);
  const hours: Hour[] = [];
  // From the morning of today to the same hour tomorrow.
  for (let at = first; at < now + DAY; at += HOUR) {
    const within = ahead.messages.filter((m) => m.at >= at && m.at < at + HOUR);
    hours.push({
      at,
      hour: new Date(toWall(zone, at)).getUTCHours(),
      goneEmail: gone.get(`${(at - first) / HOUR}/email`) ?? 0,
      goneSms: gone.get(`${(at - first) / HOUR}/sms`) ?? 0,
      email: within.filter((m) => m.channel === 'email').length,
      sms: within.filter((m) => m.channel === 'sms').length
    });
  }
  const count = (channel: string): number => ahead.messages.filter((m) => m.channel === channel).length;
  return {
    now,
    zone,
    walking: walking.rows[0]?.people ?? 0,
    journeys: walking.rows[0]?.journeys ?? 0,
    ahead: { email: count('email'), sms: count('sms'), notCounted: ahead.notCounted },
    hours,
    needs,
    movement,
    halt
  };
}

/** The instant at which the present day began in a zone, UTC ms: its own midnight, whatever the clocks did since. */
function midnightOf(zone: string, now: number): number {
  return fromWall(zone, wallDay(zone, now));
}

/** What went out since midnight, by `HOUR/CHANNEL`: whole hours counted from there, in zones of half an hour too. */
async function goneToday(db: Db, now: number, midnight: number): Promise<Map<string, number>> {
  const { rows } = await db.query<{ hour: number; what: string; n: number }>({
    name: 'gone-today',
    text: `
      select floor(extract(epoch from quarter - $1::timestamptz) / 3600)::integer as hour, what, sum(n) as n
      from flow
      where quarter >= $1 and quarter <= $2 and what in ('gone-email', 'gone-sms')
      group by 1, 2`,
    values: [ts(midnight), ts(now)]
  });
  return new Map(rows.map((r) => [`${r.hour}/${r.what.slice('gone-'.length)}`, r.n]));
}

/** So often within a minute somebody enters no journey by what they do. */
const ROUNDS = 20;

async function needsYou(db: Db, now: number): Promise<Need[]> {
  const week = ts(now - 7 * DAY);
  const [aside, matters, failed, retrying, replies, strays, strayMails, round, inDoubt, live, errands, due, notLive] =
    await Promise.all([
      whoIsAside(db),
      stoppedChannels(db, ts(now)),
      db.query<{
        state: string;
        journey: string;
        key: string;
        trouble: string;
        error: string | null;
        n: number;
        first: number;
        name: string;
      }>(
        `select m.state, m.trouble, j.name as journey, j.key, max(m.error) as error, count(*) as n, min(m.person_id) as first,
         min(${nameSql('p', 'm.address')}) as name
       from messages m join journeys j on j.id = m.journey_id join people p on p.id = m.person_id
       where m.trouble is not null and m.state in ('failed', 'bounced') and m.created_at > $1
       group by 1, 2, 3, 4 order by 6 desc`,
        [week]
      ),
      db.query<{ journey: string; key: string; trouble: string; error: string; n: number }>(
        `select j.name as journey, j.key, m.trouble, max(m.error) as error, count(*) as n
       from messages m join journeys j on j.id = m.journey_id
       where m.trouble is not null and m.state = 'queued' and m.created_at > $1
         and not exists (select from channels c where c.channel = m.channel and c.stopped_at is not null)
       group by 1, 2, 3 order by 5 desc`,
        [week]
      ),
      db.query<{ person: number; name: string; text: string; at: number; total: number }>(
        `select p.id as person, ${nameSql('p', 'p.phone')} as name,
         h.data ->> 'text' as text, h.at, count(*) over () as total
       from happenings h join people p on p.id = h.person_id
       where h.name = 'replied' and h.at > $1 order by h.at desc limit 1`,
        [ts(now - 3 * DAY)]
      ),
      db.query<{ sender: string; body: string; total: number }>(
        `select sender, body, count(*) over () as total from stray_texts where at > $1 order by id desc limit 1`,
        [week]
      ),
      db.query<{ sender: string; subject: string; why: string; total: number }>(
        `select sender, subject, why, count(*) over () as total from stray_mails where at > $1 order by id desc limit 1`,
        [week]
      ),
      db.query<{ key: string; journey: string; person: number; name: string; times: number; others: string[] }>({
        name: 'gone-round',
        text: `
        select j.key, j.name as journey, r.person_id as person, r.times,
          ${nameSql()} as name,
          array(select distinct o.name from walks w join journeys o on o.id = w.journey_id
            where w.person_id = r.person_id and w.entered_at > $1 and o.id <> j.id order by 1 limit 5) as others
        from journeys j
        cross join lateral (
          select person_id, count(*) as times from walks w
          where w.journey_id = j.id and w.entered_at > $1 group by person_id, date_trunc('minute', w.entered_at)
          having count(*) >= ${ROUNDS} order by 2 desc limit 1
        ) as r
        join people p on p.id = r.person_id
        where j.state = 'live' order by r.times desc limit 5`,
        values: [ts(now - 10 * MINUTE)]
      }),
      doubts(db),
      db.query<{ name: string; key: string; document: Journey }>(
        `select j.name, j.key, v.document from journeys j join versions v on v.journey_id = j.id and v.number = j.live_version
       where j.state = 'live' order by j.name`
      ),
      db.query<{ n: number; error: string; journey: string }>({
        name: 'errands-failed',
        text: `
        select count(*) as n, max(e.error) as error, min(j.name) as journey
        from errands e join journeys j on j.id = e.journey_id
        where e.error is not null and e.state in ('queued', 'failed') and e.at > $1 having count(*) > 0`,
        values: [week]
      }),
      db.query<{ n: number; title: string; name: string; journey: string; fields: Record<string, unknown> }>({
        name: 'today-tasks-due',
        text: `
        select t.n, t.title, ${nameSql()} as name,
          j.name as journey, ${allFields('p')} as fields
        from (
          select person_id, journey_id, title, count(*) over () as n from tasks
          where done_at is null and due_at <= $1 order by due_at, priority, id limit 1
        ) t join people p on p.id = t.person_id join journeys j on j.id = t.journey_id`,
        values: [ts(now)]
      }),
      db.query<{ key: string; name: string; problem: string }>(
        `select j.key, j.name, l.problem from live_at l join journeys j on j.id = l.journey_id
       where l.problem is not null order by j.name limit 20`
      )
    ]);
  const plural = (n: number, one: string, many: string): string => `${n} ${n === 1 ? one : many}`;
  const needs: Need[] = [];
  for (const r of aside) {
    needs.push({
      kind: 'aside',
      title: `${plural(r.people, 'person is', 'people are')} set aside`,
      detail: `Work on ${r.name}${r.people > 1 ? ` and ${r.people - 1} more` : ''} failed: ${r.error} · ${plural(r.attempts, 'try', 'tries')} so far; all others go on`,
      href: '/set-aside',
      act: 'Show',
      action: { name: 'aside', value: '', label: 'Try again' }
    });
  }
  for (const m of matters) {
    const server = m.channel === 'email' ? 'The mail server' : 'The SMS gateway';
    needs.push({
      kind: 'matter',
      title: `${server} ${m.is === 'ours' ? 'refuses us' : BREAKS_OFF.test(m.matter) ? 'breaks off before it answers' : 'cannot be reached'}`,
      detail: `${m.matter} · ${plural(m.waiting, 'message waits', 'messages wait')}${m.waiting >= MOST_COUNTED ? ', or more' : ''}; none is lost. One is tried now and then, and sending goes on by itself once it is mended.`,
      action: { name: 'resume', value: m.channel, label: 'Send now' }
    });
  }
  for (const d of inDoubt) {
    needs.push({
      kind: 'doubt',
      title: `${plural(d.refused, 'address', 'addresses')}${d.domain ? ` of ${d.domain}` : ''} refused within an hour: our trouble or theirs?`,
      detail: `${d.answer} · nobody is suppressed meanwhile, ${plural(d.waiting, 'message waits', 'messages wait')}`,
      href: '/people/suppressed',
      act: 'They are gone …',
      action: { name: 'doubt', value: d.domain || 'all', label: 'Try them again' }
    });
  }
  for (const r of round.rows) {
    needs.push({
      kind: 'round',
      title: `${r.name} has gone round ${r.journey} ${r.times} times within a minute`,
      detail: `${r.others.length ? `Together with ${r.others.join(', ')}. ` : ''}Close one of them to new people: that breaks the ring. Others pass.`,
      href: `/journeys/${r.key}?view=watch`,
      act: 'Show'
    });
  }
  for (const r of notLive.rows) {
    needs.push({
      kind: 'live-at',
      title: `${r.name} did not go live`,
      detail: r.problem,
      href: `/journeys/${r.key}`,
      act: 'Show'
    });
  }
  for (const r of retrying.rows) {
    needs.push({
      kind: 'retry',
      title: `${plural(r.n, 'message waits', 'messages wait')} for another try`,
      detail: `${r.journey} · ${r.error}`,
      href: `/journeys/${r.key}?view=watch`,
      act: 'Show',
      action: { name: 'retry', value: `${r.key} ${r.trouble}`, label: 'Try now' }
    });
  }
  for (const r of failed.rows) {
    const what =
      r.trouble === 'withheld'
        ? `${r.n === 1 ? 'was' : 'were'} held back`
        : r.state === 'bounced'
          ? 'bounced'
          : 'could not be sent';
    needs.push({
      kind: 'failure',
      title: `${plural(r.n, 'message', 'messages')} ${what}`,
      detail: `${r.journey} · ${r.name}${r.n > 1 ? ` and ${r.n - 1} more` : ''} · ${r.error ?? ''}`,
      href: r.n === 1 ? `/people/${r.first}` : `/journeys/${r.key}?view=watch`,
      act: 'Show',
      // A mailbox that is not there is not there a second time either; whoever withdrew has not come back.
      ...(r.trouble === 'mailbox' || r.trouble === 'withheld'
        ? {}
        : { action: { name: 'again' as const, value: `${r.key} ${r.trouble}`, label: 'Send again' } })
    });
  }
  for (const r of errands.rows) {
    needs.push({
      kind: 'failure',
      title: `${plural(r.n, 'call or notice', 'calls and notices')} did not arrive`,
      detail: `${r.journey} · ${r.error}`,
      href: '/set-aside',
      act: 'Show'
    });
  }
  for (const r of due.rows) {
    needs.push({
      kind: 'task',
      title: `${plural(r.n, 'task is', 'tasks are')} due`,
      detail: `${await filled(r.title, r.fields, r.journey)} · ${r.name}${r.n > 1 ? `, and ${r.n - 1} more` : ''}`,
      href: '/tasks?view=due',
      act: 'Open'
    });
  }
  const isAccepted = await acceptedEverywhere(db);
  for (const r of live.rows) {
    for (const f of findingsOf(r.document)) {
      if (isAccepted(r.key, f)) continue;
      needs.push({
        kind: 'finding',
        title: r.name,
        detail: f.text,
        href: `/journeys/${r.key}${f.step ? `?step=${f.step}` : ''}`,
        act: 'Open the finding'
      });
    }
  }
  const reply = replies.rows[0];
  if (reply) {
    needs.push({
      kind: 'reply',
      title: `${plural(reply.total, 'reply', 'replies')} in the last three days`,
      detail: `“${reply.text}” · ${reply.name}${reply.total > 1 ? `, and ${reply.total - 1} more` : ''}`,
      href: '/replies',
      act: 'Read'
    });
  }
  const stray = strays.rows[0];
  if (stray) {
    needs.push({
      kind: 'stray',
      title: `${plural(stray.total, 'text', 'texts')} from numbers nobody here has`,
      detail: `“${stray.body}” · ${stray.sender}`,
      href: '/replies',
      act: 'Read'
    });
  }
  const strayMail = strayMails.rows[0];
  if (strayMail) {
    needs.push({
      kind: 'stray',
      title: `${plural(strayMail.total, 'mail', 'mails')} about nothing of ours`,
      detail: `“${strayMail.subject || 'no subject'}” · ${strayMail.sender || 'nobody'} · ${strayMail.why}`,
      href: '/replies',
      act: 'Read'
    });
  }
  return needs;
}

const MOVES = [
  ['Entered a journey', 'entered'],
  ['Emails sent', 'email'],
  ['Texts sent', 'sms'],
  ['Opened', 'opened'],
  ['Followed a link', 'clicked'],
  ['Replied', 'replied'],
  ['Reached a goal', 'goal_reached'],
  ['Unsubscribed', 'unsubscribed'],
  ['Bounced', 'bounced']
] as const;

/** Counts of the last 24 hours, by whole quarters, beside the average of the same hours one to four weeks ago. */
async function movementOf(db: Db, now: number): Promise<Movement[]> {
  const end = Math.floor(now / QUARTER) * QUARTER;
  const spans = [0, 1, 2, 3, 4].map((week) => end - week * 7 * DAY);
  const { rows } = await db.query<{ week: number; what: string; n: number }>({
    name: 'today-movement',
    text: `
      select s.week, f.what, sum(f.n) as n
      from unnest($1::timestamptz[]) with ordinality as s (until, week)
      join flow f on f.quarter > s.until - interval '1 day' and f.quarter <= s.until
      group by 1, 2`,
    values: [spans.map(ts)]
  });
  const oldest = await db.query<{ at: number | null }>({
    name: 'oldest-flow',
    text: `select quarter as at from flow where quarter > '-infinity' order by quarter limit 1`
  });
  const since = oldest.rows[0]?.at ?? now;
  const weeks = [2, 3, 4, 5].filter((week) => now - (week - 1) * 7 * DAY - DAY >= since);
  return MOVES.map(([what, name]) => {
    const at = (week: number): number => rows.find((r) => r.week === week && r.what === name)?.n ?? 0;
    const usual = weeks.length ? weeks.reduce((sum, week) => sum + at(week), 0) / weeks.length : null;
    return { what, count: at(1), usual };
  });
}
