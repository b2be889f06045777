/** What Today shows: what goes out, what needs someone, what moved since yesterday. */
import { fromWall, toWall, wallDay } from '../../core/time/civil.ts';
import { DAY, HOUR } from '../../core/time/duration.ts';
import { readClock } from '../workspace/clock.ts';
import { ts, type Db, type Pool } from '../db/pool.ts';
import { ALL_DAYS, QUARTER } from '../engine/count.ts';
import { halted, type Halt } from '../journeys/brake.ts';
import { messagesAhead } from './ahead.ts';
import { needsYou } from './needs/index.ts';
import type { Need } from './needs/need.ts';

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
