/** What the checks hold a journey against besides itself: the other journeys, the settings, and who there is. */
import { digestOf, type Around, type OtherJourney } from '../../core/check/around.ts';
import type { Condition } from '../../core/condition/schema.ts';
import { wordsOf } from '../../core/check/message-words.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { eachStep } from '../../core/journey/walk-document.ts';
import { now } from '../workspace/clock.ts';
import type { Db, Pool } from '../db/pool.ts';
import { ts } from '../db/pool.ts';
import { countPeople, TooLong } from '../people/counting.ts';
import { fieldNames } from '../engine/field-names.ts';
import { tagNames } from '../people/people.ts';
import { readSettings, SettingsBook } from '../workspace/settings.ts';
import type { JourneyState } from './journeys.ts';

/** Digests by the edition they are of, which never changes. */
const digests = new Map<string, Journey>();
const KEPT = 2000;

/** The other journeys that are not over, each as it is live, or as drafted where it never was. */
async function otherJourneys(db: Db, key: string): Promise<OtherJourney[]> {
  const { rows } = await db.query<{ id: number; key: string; name: string; state: JourneyState; edition: string }>(
    `select id, key, name, state, coalesce('v' || live_version, 'd' || draft_revision) as edition
     from journeys where key <> $1 and state <> 'archived' order by key`,
    [key]
  );
  const missing = rows.filter((r) => !digests.has(`${r.id}/${r.edition}`));
  if (missing.length) {
    const { rows: documents } = await db.query<{ id: number; document: Journey }>(
      `select j.id, coalesce(v.document, j.draft) as document
       from journeys j left join versions v on v.journey_id = j.id and v.number = j.live_version where j.id = any($1::bigint[])`,
      [missing.map((r) => r.id)]
    );
    const byId = new Map(documents.map((d) => [d.id, d.document]));
    if (digests.size + missing.length > KEPT) digests.clear();
    for (const r of missing) {
      const document = byId.get(r.id);
      if (document) digests.set(`${r.id}/${r.edition}`, digestOf(document));
    }
  }
  return rows.flatMap(({ id, key, name, state, edition }) => {
    const document = digests.get(`${id}/${edition}`);
    return document ? [{ key, name, live: state === 'live', document }] : [];
  });
}

/** What is known without looking at people one by one: for a sheet that is open. */
export async function aroundOf(db: Db, key: string): Promise<Around> {
  const at = await now(db);
  // One after the other: `db` may be one connection inside a transaction.
  const journeys = await otherJourneys(db, key);
  const settings = await readSettings(db);
  const tags = await tagNames(db);
  const fields = await fieldNames(db);
  const figures = await db.query<{ texts: boolean; entered: number | null; live: boolean }>(
    `select exists (select from consents where channel = 'sms' and state = 'given') as texts,
       (select live_version is not null from journeys where key = $1) as live,
       (select sum(c.n) from counters c join journeys j on j.id = c.journey_id
        where j.key = $1 and c.what = 'entered' and c.step = '' and c.day > ($2::timestamptz - interval '30 days')::date) as entered`,
    [key, ts(at)]
  );
  const [row] = figures.rows;
  return {
    journeys,
    settings,
    now: at,
    tags,
    fields,
    canBeTexted: row?.texts ? 1 : 0,
    ...(row?.live && row.entered !== null ? { enterMonthly: row.entered } : {})
  };
}

const books = new WeakMap<Pool, SettingsBook>();
const PERSONAL = /person\.([A-Za-z_]\w*)/g;

/** How many people have no value of the fields that a journey's messages are filled in with; nothing where that takes too long. */
export async function lackingFields(pool: Pool, document: Journey): Promise<Pick<Around, 'without' | 'people'>> {
  const names = new Set(
    eachStep(document).flatMap(({ step }) => [...wordsOf(step).matchAll(PERSONAL)].map((m) => m[1] ?? ''))
  );
  const fields = [...names].slice(0, 30);
  if (!fields.length) return {};
  let settings = books.get(pool);
  if (!settings) books.set(pool, (settings = new SettingsBook()));
  try {
    const conditions = fields.map((field): Condition => ({ field, set: false }));
    const { counts, of } = await countPeople(pool, settings, conditions);
    return { people: of, without: Object.fromEntries(fields.map((field, i) => [field, counts[i]?.people ?? 0])) };
  } catch (error) {
    if (error instanceof TooLong) return {};
    throw error;
  }
}
