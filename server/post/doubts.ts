/**
 * Doubt about refusals: when many addresses of one domain, or a tenth of an hour's mails, are refused for good, it is our trouble or
 * their server's until somebody says otherwise. Nobody is suppressed meanwhile; the messages wait and are tried again.
 */
import { changed, notify } from '../db/notify.ts';
import { now } from '../workspace/clock.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';

/** So many of a domain in an hour, and such a part of those tried there; over all domains so many and such a part. */
const OF_DOMAIN = { refused: 10, part: 0.3 };
const OF_ALL = { refused: 20, part: 0.1 };
/** Every domain together. */
const ALL = '';
/** What somebody has said holds for so long. */
const SETTLED_FOR = '1 day';

export const domainOf = (address: string): string => address.slice(address.lastIndexOf('@') + 1).toLowerCase();

export interface Tried {
  address: string;
  /** The answer, where it was refused for good. */
  refused: string | null;
}

/**
 * Counts what was tried and refused; gives the test whether an address is in doubt now. `sent`: whether these were tried just now;
 * a report that comes later counts as refused alone.
 */
export async function noteTried(db: Db, all: readonly Tried[], sent = true): Promise<(address: string) => boolean> {
  if (!all.length) return () => false;
  const domains = all.map((t) => domainOf(t.address));
  const { rows } = await db.query<{ domain: string }>({
    name: 'note-tried',
    text: `
      with told as (
        select domain, refused, answer from unnest($1::text[], $2::text[]) as t (domain, answer)
        cross join lateral (select (answer is not null)::integer as refused) as r
      ), each as (
        select domain, count(*) as tried, sum(refused) as refused, max(answer) as answer from told group by 1
      ), counted as (
        insert into refusals as r (domain, hour, tried, refused)
        select domain, date_trunc('hour', clock_timestamp()), case when $3::boolean then tried else 0 end, refused from each order by domain
        on conflict (domain, hour) do update set tried = r.tried + excluded.tried, refused = r.refused + excluded.refused
        returning domain, tried, refused
      ), over_all as (
        -- Over all domains, but for those that were found to be a matter of their own.
        select sum(r.refused) as refused, sum(r.tried) as tried, (select max(answer) from each) as answer from refusals r
        where exists (select from told where refused = 1) and r.hour = date_trunc('hour', clock_timestamp())
          and not exists (select from doubts d where d.domain = r.domain)
      ), doubted as (
        insert into doubts as d (domain, refused, answer)
        select c.domain, c.refused, e.answer from counted c join each e using (domain)
        where e.answer is not null and c.refused >= ${OF_DOMAIN.refused} and c.refused >= ${OF_DOMAIN.part} * c.tried
        union all
        select '${ALL}', refused, answer from over_all where refused >= ${OF_ALL.refused} and refused >= ${OF_ALL.part} * tried
        order by 1
        on conflict (domain) do update
        set refused = excluded.refused, since = case when d.settled_at is null then d.since else clock_timestamp() end, settled_at = null
        where d.settled_at is null or d.settled_at < clock_timestamp() - interval '${SETTLED_FOR}'
        returning domain
      )
      select domain from doubted
      union select domain from doubts where settled_at is null and domain = any($1::text[] || '${ALL}'::text)`,
    values: [domains, all.map((t) => t.refused), sent]
  });
  // What is over is of no use; it goes now and then.
  if (Math.random() < 0.001) await db.query(`delete from refusals where hour < clock_timestamp() - interval '2 days'`);
  const doubted = new Set(rows.map((r) => r.domain));
  return (address) => doubted.has(ALL) || doubted.has(domainOf(address));
}

export interface Doubt {
  domain: string;
  refused: number;
  answer: string;
  /** Messages that wait for what somebody says. */
  waiting: number;
}

/** What is in doubt. */
export async function doubts(db: Db): Promise<Doubt[]> {
  const { rows } = await db.query<Doubt>({
    name: 'doubts',
    text: `
      select d.domain, d.refused, d.answer, (
        select count(*) from (
          select from messages m where m.state = 'queued' and m.not_before is not null and m.channel = 'email' and m.trouble = 'doubt'
            and (d.domain = '${ALL}' or lower(split_part(m.address, '@', 2)) = d.domain) limit 100000) as w) as waiting
      from doubts d where d.settled_at is null order by d.since limit 20`
  });
  return rows;
}

/**
 * Somebody says what it is. `gone`: those addresses are not there, and refusals count again. Otherwise it was our trouble or theirs, and
 * is over: what waits is tried at once, and who was suppressed in that hour before it was seen may be written to again.
 */
export async function settleDoubt(pool: Pool, domain: string, gone: boolean, by: string): Promise<boolean> {
  return transaction(pool, async (db) => {
    const { rows } = await db.query<{ since: number }>(
      gone
        ? `update doubts set settled_at = clock_timestamp(), settled_by = $2 where domain = $1 and settled_at is null returning since`
        : `delete from doubts where domain = $1 and settled_at is null and $2::text is not null returning since`,
      [domain, by]
    );
    if (!rows.length) return false;
    if (!gone) {
      await db.query(
        `delete from refusals where hour >= date_trunc('hour', clock_timestamp()) - interval '1 hour' and ($1 = '${ALL}' or domain = $1)`,
        [domain]
      );
      await liftMany(
        db,
        { domain, since: ts((await now(db)) - 3_600_000) },
        by,
        'refused together with many others: our trouble or theirs'
      );
    }
    await db.query(
      `update messages set not_before = null where state = 'queued' and channel = 'email' and trouble = 'doubt'
         and ($1 = '${ALL}' or lower(split_part(address, '@', 2)) = $1)`,
      [domain]
    );
    await db.query(`insert into acts (at, by, what, detail) values ($1, $2, 'doubt', $3)`, [
      ts(await now(db)),
      by,
      JSON.stringify({ domain, gone })
    ]);
    await notify(db, 'outbox');
    await changed(db, { post: true, people: 'many' });
    return true;
  });
}

export interface Suppressions {
  domain: string;
  /** ISO date, of the workspace. */
  day: string;
  answer: string;
  people: number;
}

/** Suppressed email addresses by domain, day and answer: the most first. */
export async function suppressionGroups(db: Db): Promise<Suppressions[]> {
  const { rows } = await db.query<Suppressions>({
    name: 'suppression-groups',
    text: `
      select split_part(s.address, '@', 2) as domain, to_char(s.at at time zone w.zone, 'YYYY-MM-DD') as day,
        coalesce(s.answer, s.reason) as answer, count(*) as people
      from suppressions s, workspace w where s.address like '%@%'
      group by 1, 2, 3 order by 4 desc, 2 desc, 1 limit 200`
  });
  return rows;
}

/** Lifts many suppressions at once, by hand and with a reason, which is kept. How many. */
export async function liftMany(
  db: Db,
  which: { domain?: string; day?: string; answer?: string; since?: string | null },
  by: string,
  reason: string
): Promise<number> {
  const { rowCount } = await db.query(
    `with lifted as (
       delete from suppressions s using workspace w
       where s.address like '%@%' and ($1::text is null or $1 = '${ALL}' or split_part(s.address, '@', 2) = $1)
         and ($2::text is null or to_char(s.at at time zone w.zone, 'YYYY-MM-DD') = $2)
         and ($3::text is null or coalesce(s.answer, s.reason) = $3) and ($4::timestamptz is null or s.at >= $4)
       returning s.address, s.at
     )
     insert into lifted_suppressions (address, at, suppressed_at, by, reason) select address, $5, at, $6, $7 from lifted`,
    [which.domain ?? null, which.day ?? null, which.answer ?? null, which.since ?? null, ts(await now(db)), by, reason]
  );
  await changed(db, { people: 'many', post: true });
  return rowCount ?? 0;
}
