/** Who is in a saved segment and who was, how many there were day by day, and how two of them lie to each other. */
import { nameSql } from '../db/person-name.ts';
import { DAY } from '../../core/time/duration.ts';
import { dateText, wallDay } from '../../core/time/civil.ts';
import { readClock } from '../workspace/clock.ts';
import type { Db } from '../db/pool.ts';
import { lookingAt } from '../engagement/models.ts';
import type { SettingsBook } from '../workspace/settings.ts';

export interface Member {
  id: number;
  name: string;
  since: number;
  /** When they left; `null`: they are in it. */
  left: number | null;
}

/** Members that a page names, of each kind. */
const SHOWN = 50;

const NAME = `${nameSql()} as name`;

/** Those who joined last, and those who left last. */
export async function membersOf(db: Db, segment: string): Promise<{ inside: Member[]; gone: Member[] }> {
  const inside = await db.query<Member>(
    `select p.id, ${NAME}, s.since, null::timestamptz as left from (
       select person_id, since from person_segments where segment = $1 order by since desc, person_id desc limit ${SHOWN}
     ) as s join people p on p.id = s.person_id order by s.since desc, p.id desc`,
    [segment]
  );
  const gone = await db.query<Member>(
    `select p.id, ${NAME}, s.since, s.left_at as left from (
       select person_id, since, left_at from segment_past where segment = $1 order by left_at desc limit ${SHOWN}
     ) as s join people p on p.id = s.person_id order by s.left_at desc, p.id desc`,
    [segment]
  );
  return { inside: inside.rows, gone: gone.rows };
}

/** Days of which numbers are drawn. */
export const DAYS = 60;

export interface Day {
  /** The day, as a date of the workspace's zone. */
  date: string;
  /** Members at its end. */
  members: number;
}

/** How many were in it at the end of each of the last days: as many as are now, less who came since and with who went. */
export async function daysOf(db: Db, segment: string): Promise<Day[]> {
  const { now, zone } = await readClock(db);
  const today = wallDay(zone, now);
  const { rows: count } = await db.query<{ n: number }>(
    'select count(*) as n from person_segments where segment = $1',
    [segment]
  );
  const { rows } = await db.query<{ ago: number; net: number }>(
    `select $2::date - day as ago, sum(came) - sum(went) as net from label_days
     where kind = 'segment' and name = $1 and day > $2::date - $3::integer group by 1`,
    [segment, dateText(today), DAYS]
  );
  const net = new Map(rows.map((r) => [r.ago, r.net]));
  let members = count[0]?.n ?? 0;
  const days: Day[] = [];
  for (let day = today; days.length < DAYS; day -= DAY) {
    days.push({ date: dateText(day), members });
    members -= net.get(days.length - 1) ?? 0;
  }
  return days.reverse();
}

export interface Compared {
  both: number;
  onlyFirst: number;
  onlySecond: number;
}

/** How many are in both of two segments, and in one alone. */
export async function compare(db: Db, first: string, second: string): Promise<Compared> {
  const { rows } = await db.query<Compared>(
    `select count(*) filter (where a.person_id is not null and b.person_id is not null) as both,
       count(*) filter (where b.person_id is null) as "onlyFirst", count(*) filter (where a.person_id is null) as "onlySecond"
     from (select person_id from person_segments where segment = $1) a
     full join (select person_id from person_segments where segment = $2) b on b.person_id = a.person_id`,
    [first, second]
  );
  return rows[0] ?? { both: 0, onlyFirst: 0, onlySecond: 0 };
}

export interface Age {
  /** Whether it can come true or false by the clock alone: then it is held against everybody at each midnight. */
  daily: boolean;
  /** The last midnight at which that was done, UTC ms. */
  lookedAt: number | null;
  /** Everybody is held against it just now: how far that is. */
  looking: { asked: number; total: number } | null;
}

/** How old what is kept of a segment's members is: what happens to somebody changes it at once, what the clock brings at midnight. */
export async function ageOf(db: Db, settings: SettingsBook, segment: string): Promise<Age> {
  const { workspace } = await settings.read(db);
  const { rows } = await db.query<{ looked_at: number | null }>('select looked_at from workspace');
  return {
    daily: workspace.segments.find((s) => s.name === segment)?.daily ?? false,
    lookedAt: rows[0]?.looked_at ?? null,
    looking: await lookingAt(db, ['look', 'midnight'])
  };
}
