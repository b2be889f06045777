/** Setting a journey live: what will happen, in numbers, and doing it. */
import { happeningsHeard } from '../../core/journey/facts.ts';
import { beyondLive } from '../../core/check/live-subset.ts';
import { findingsOf, type Finding } from '../../core/check/index.ts';
import { conditionSql, Parameters } from '../../core/condition/sql.ts';
import { pathText } from '../../core/journey/problems.ts';
import { isHappening } from '../../core/condition/schema.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { now } from '../clock/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { journeyByKey } from './journeys.ts';
import { tryMessages } from './tried.ts';

export interface Review {
  findings: Finding[];
  /** People who enter at the moment of going live. */
  enterNow: number;
  /** Of those: who can be reached by each channel. */
  byEmail: number;
  bySms: number;
  /** Who has a tag the journey starts from, but does not enter now, by reason. */
  kept: { reason: string; people: number }[];
  /** People inside an earlier version, who finish on it. */
  insideEarlier: number;
  nextVersion: number;
}

/** Who has a tag that the journey starts from, as SQL over `people p`. */
function tagged(document: Journey, parameters: Parameters): string {
  const tags = (document.entry?.on ?? []).flatMap((rule) => (rule.tag ? [rule.tag] : []));
  return `exists (select from person_tags t where t.person_id = p.id and t.tag = any(${parameters.add(tags)}::text[]))`;
}

/** What going live would do now. The same rules in the same order as the engine's refusals. */
export async function review(db: Db, journeyId: number, document: Journey): Promise<Review> {
  const parameters = new Parameters();
  const entry = document.entry;
  const candidates = entry?.existing ? tagged(document, parameters) : 'false';
  const where = entry?.where ? conditionSql(entry.where, parameters) : 'true';
  const goal =
    document.goal && !isHappening(document.goal.when) ? conditionSql(document.goal.when, parameters) : 'false';
  const leaving = (document.leaveWhen ?? []).flatMap((r) =>
    isHappening(r.when) ? [] : [conditionSql(r.when, parameters)]
  );
  const journey = parameters.add(journeyId);
  const { rows } = await db.query<{ verdict: string; people: number; by_email: number; by_sms: number }>(
    `select verdict, count(*) as people,
       count(*) filter (where email is not null and consent_email) as by_email,
       count(*) filter (where phone is not null and consent_sms) as by_sms
     from (
       select p.email, p.phone,
         exists (select from consents c where c.person_id = p.id and c.channel = 'email' and c.state = 'given') as consent_email,
         exists (select from consents c where c.person_id = p.id and c.channel = 'sms' and c.state = 'given') as consent_sms,
         case
           when not ${where} then 'where'
           when exists (select from walks w where w.person_id = p.id and w.journey_id = ${journey}) then 'once'
           when ${goal} then 'goal'
           when ${leaving.length ? leaving.join(' or ') : 'false'} then 'leave'
           else 'enters'
         end as verdict
       from people p
       where ${candidates}
     ) as q
     group by verdict`,
    parameters.values
  );
  const inside = await db.query<{ people: number; next: number }>(
    `select (select count(*) from walks where journey_id = $1 and state = 'walking') as people,
       coalesce((select max(number) from versions where journey_id = $1), 0) + 1 as next`,
    [journeyId]
  );
  const enters = rows.find((r) => r.verdict === 'enters');
  return {
    findings: await allFindings(db, document),
    enterNow: enters?.people ?? 0,
    byEmail: enters?.by_email ?? 0,
    bySms: enters?.by_sms ?? 0,
    kept: rows.filter((r) => r.verdict !== 'enters').map((r) => ({ reason: r.verdict, people: r.people })),
    insideEarlier: inside.rows[0]?.people ?? 0,
    nextVersion: inside.rows[0]?.next ?? 1
  };
}

/** What the checks find, and what is found by trying its messages on people: blockers first. */
async function allFindings(db: Db, document: Journey): Promise<Finding[]> {
  const found = findingsOf(document);
  const told = new Set(found.filter((f) => f.severity === 'blocker').map((f) => f.step));
  const tried = (await tryMessages(db, document)).filter((f) => !told.has(f.step));
  return [...tried, ...found];
}

export type WentLive = { ok: true; version: number; asked: number } | { ok: false; message: string };

/**
 * Sets the saved draft live. `revision` is the draft the reviewer saw: if it was
 * changed since, nothing happens. Existing people are put into the workers' inbox here and now.
 */
export async function setLive(pool: Pool, key: string, revision: number, by: string): Promise<WentLive> {
  return transaction(pool, async (db): Promise<WentLive> => {
    await db.query('select from journeys where key = $1 for update', [key]);
    const journey = await journeyByKey(db, key);
    if (!journey) return { ok: false, message: 'This journey has been deleted.' };
    if (journey.draft_revision !== revision) {
      return {
        ok: false,
        message: 'The draft was changed since you opened this review. Nothing was set live; look at it again.'
      };
    }
    // Pressed again, or a moment later in another window: what is live already is not set live a second time.
    const same = await db.query<{ number: number }>(
      `select v.number from journeys j join versions v on v.journey_id = j.id and v.number = j.live_version
       where j.id = $1 and j.state = 'live' and v.document = j.draft`,
      [journey.id]
    );
    if (same.rows[0]) return { ok: true, version: same.rows[0].number, asked: 0 };
    const [beyond] = beyondLive(journey.draft);
    if (beyond) return { ok: false, message: `It cannot go live: ${pathText(beyond.path)}: ${beyond.message}` };
    const blockers = (await allFindings(db, journey.draft)).filter((f) => f.severity === 'blocker');
    if (blockers[0]) return { ok: false, message: `It cannot go live yet: ${blockers.map((b) => b.text).join(' ')}` };
    const at = ts(await now(db));
    const { rows } = await db.query<{ number: number }>(
      `insert into versions (journey_id, number, document, live_from, set_live_by, hears)
       select $1, coalesce(max(number), 0) + 1, $2, $3, $4, $5 from versions where journey_id = $1
       returning number`,
      [journey.id, JSON.stringify(journey.draft), at, by, [...happeningsHeard(journey.draft)]]
    );
    const version = rows[0]?.number ?? 1;
    await db.query(
      `update journeys set state = case when state in ('paused', 'closing') then state else 'live' end, live_version = $2
       where id = $1`,
      [journey.id, version]
    );
    let asked = 0;
    if (journey.draft.entry?.existing) {
      const parameters = new Parameters();
      const candidates = tagged(journey.draft, parameters);
      const data = parameters.add(JSON.stringify({ journey: key }));
      const when = parameters.add(at);
      const source = parameters.add(`existing/${key}/${version}`);
      const result = await db.query(
        `insert into happenings (person_id, name, at, source, source_id, data)
         select p.id, 'existing', ${when}, 'going-live', ${source}, ${data} from people p where ${candidates} order by p.id`,
        parameters.values
      );
      asked = result.rowCount ?? 0;
    }
    await notify(db, 'inbox');
    await changed(db, { journeys: [journey.id] });
    return { ok: true, version, asked };
  });
}
