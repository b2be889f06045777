/** Setting a journey live. What will happen, in numbers, is said by `review.ts`. */
import { happeningsHeard } from '../../core/journey/facts.ts';
import { findingsOf, type Around, type Finding } from '../../core/check/index.ts';
import { aroundOf } from './around.ts';
import { pathText } from '../../core/journey/problems.ts';
import { referenceProblems } from '../../core/journey/references.ts';
import { eachStep } from '../../core/journey/walk-document.ts';
import { isMessage } from '../../core/steps/index.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import { readSettings } from '../workspace/settings.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { now } from '../workspace/clock.ts';
import { askCrowd, countCrowd, wantsLook, type CrowdKind } from '../crowds/crowds.ts';
import { changed, notify } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { journeyByKey, type JourneyRow } from './journeys.ts';
import { tryMessages } from './tried.ts';

/**
 * What the checks find, and what is found by trying its messages on people: blockers first. `around`: what it is held
 * against, where whoever asks has it already.
 */
export async function allFindings(db: Db, document: Journey, around?: Around): Promise<Finding[]> {
  const found = findingsOf(document, around ?? (await aroundOf(db, document.key)));
  const told = new Set(found.filter((f) => f.severity === 'blocker').map((f) => f.step));
  const tried = (await tryMessages(db, document)).filter((f) => !told.has(f.step));
  return [...tried, ...(await missing(db, document)), ...found];
}

/** What it names of other journeys and of the settings that is not there, and comparisons that do not fit a field's type. */
async function missing(db: Db, document: Journey): Promise<Finding[]> {
  const { rows } = await db.query<{ key: string; document: Journey }>(
    `select j.key, coalesce(v.document, j.draft) as document
     from journeys j left join versions v on v.journey_id = j.id and v.number = j.live_version`
  );
  const journeys = new Map(rows.map((r) => [r.key, r.document]));
  journeys.set(document.key, document);
  const settings = await readSettings(db);
  const alone = new Set(referenceProblems(document).map((p) => pathText(p.path)));
  const written = eachStep(document).flatMap(({ step }): Finding[] => {
    if (!isMessage(step) || (step.message === undefined && (step.kind !== 'email' || !step.blocks))) return [];
    return [
      {
        severity: 'blocker',
        check: 'not-there',
        step: step.key,
        text:
          step.message === undefined
            ? 'Its words are designed parts, which cannot be sent yet.'
            : `There is no saved message “${step.message}”.`,
        hint: 'Write its words on the step itself.'
      }
    ];
  });
  const named = referenceProblems(document, { journeys, settings, types: compileSettings(settings).types })
    .filter((p) => !alone.has(pathText(p.path)))
    .map((p): Finding => ({
      severity: 'blocker',
      check: 'not-there',
      step: null,
      text: `${pathText(p.path)}: ${p.message}.`,
      hint: 'Make it first, or name one that is there.'
    }));
  return [...written, ...named];
}

export type WentLive = { ok: true; version: number; asked: number } | { ok: false; message: string };

/** What becomes of those inside an earlier version: they go on in it, or in the new one where their step is still there. */
export type Inside = 'stay' | 'move';

/** A journey whose draft is what was reviewed, its row held; or that it is not. */
export async function reviewedDraft(
  db: Db,
  key: string,
  revision: number
): Promise<{ journey: JourneyRow } | { message: string }> {
  await db.query('select from journeys where key = $1 for no key update', [key]);
  const journey = await journeyByKey(db, key);
  if (!journey) return { message: 'This journey has been deleted.' };
  if (journey.draft_revision !== revision)
    return { message: 'The draft was changed since you opened this review. Nothing was set live; look at it again.' };
  return { journey };
}

/** What keeps a document from going live; `null` where nothing does. */
export async function blockersIn(db: Db, document: Journey): Promise<string | null> {
  const blockers = (await allFindings(db, document)).filter((f) => f.severity === 'blocker');
  return blockers.length ? `It cannot go live yet: ${blockers.map((b) => b.text).join(' ')}` : null;
}

/**
 * Sets the saved draft live. `revision` is the draft the reviewer saw: if it was
 * changed since, nothing happens. Existing people are put into the workers' inbox here and now.
 */
export async function setLive(
  pool: Pool,
  key: string,
  revision: number,
  by: string,
  inside: Inside = 'stay'
): Promise<WentLive> {
  // Reviewed before its row is held: trying its messages takes a moment, in which it can be paused and sending stopped.
  const draft = await journeyByKey(pool, key);
  const ready = draft?.draft_revision === revision ? await readyFor(pool, draft, draft.draft, inside) : NOT_ASKED;
  return transaction(pool, async (db): Promise<WentLive> => {
    const found = await reviewedDraft(db, key, revision);
    if ('message' in found) return { ok: false, message: found.message };
    const result = await putLive(db, found.journey, found.journey.draft, by, ready);
    // What was to go live later has been overtaken.
    if (result.ok) await db.query('delete from live_at where journey_id = $1', [found.journey.id]);
    return result;
  });
}

/** What is asked before a journey's row is held: what keeps it from going live, and how many each of its crowds is. */
export interface Ready {
  problem: string | null;
  crowds: ReadonlyMap<CrowdKind, number>;
}

const NOT_ASKED: Ready = { problem: null, crowds: new Map() };

/** Asks what {@link putLive} has to know of a document. */
export async function readyFor(pool: Pool, journey: JourneyRow, document: Journey, inside: Inside): Promise<Ready> {
  const problem = await blockersIn(pool, document);
  if (problem !== null) return { problem, crowds: new Map() };
  const kinds: CrowdKind[] = [
    ...(wantsLook(document) ? (['look'] as const) : []),
    ...(inside === 'move' ? (['move'] as const) : []),
    ...(document.entry?.existing ? (['existing'] as const) : [])
  ];
  const crowds = new Map<CrowdKind, number>();
  // All who are inside move over: whoever gets in between is of a version before the next, too.
  const version = (journey.live_version ?? 0) + 1;
  for (const kind of kinds)
    crowds.set(kind, await countCrowd(pool, { kind, journey: { id: journey.id, version, document } }));
  return { problem: null, crowds };
}

/** Sets a document live as the next version of a journey whose row is held. */
export async function putLive(
  db: Db,
  journey: JourneyRow,
  document: Journey,
  by: string,
  { problem, crowds }: Ready
): Promise<WentLive> {
  // Pressed again, or a moment later in another window: what is live already is not set live a second time.
  const same = await db.query<{ number: number }>(
    `select v.number from journeys j join versions v on v.journey_id = j.id and v.number = j.live_version
       where j.id = $1 and j.state = 'live' and v.document = $2::jsonb`,
    [journey.id, JSON.stringify(document)]
  );
  if (same.rows[0]) return { ok: true, version: same.rows[0].number, asked: 0 };
  if (problem !== null) return { ok: false, message: problem };
  const at = ts(await now(db));
  const { rows } = await db.query<{ number: number }>(
    `insert into versions (journey_id, number, document, live_from, set_live_by, hears)
       select $1, coalesce(max(number), 0) + 1, $2, $3, $4, $5 from versions where journey_id = $1
       returning number`,
    [journey.id, JSON.stringify(document), at, by, [...happeningsHeard(document)]]
  );
  const version = rows[0]?.number ?? 1;
  // Dates that passed before people could get in by them are past. A version that leaves them as they were changes nothing.
  await db.query(
    `update journeys j set state = case when state in ('paused', 'closing') then state else 'live' end, live_version = $2,
         open_since = case when j.open_since is not null and j.state = 'live' and (
             select jsonb_build_array(v.document -> 'entry' -> 'date', v.document -> 'entry' -> 'timetable')
             from versions v where v.journey_id = j.id and v.number = j.live_version
           ) = $3::jsonb then j.open_since else $4 end
       where id = $1`,
    [journey.id, version, JSON.stringify([document.entry?.date ?? null, document.entry?.timetable ?? null]), at]
  );
  const crowd = { by, journey: { id: journey.id, version, document: document } };
  for (const [kind, counted] of crowds) await askCrowd(db, { kind, ...crowd }, counted);
  const asked = crowds.get('existing') ?? 0;
  await notify(db, 'inbox');
  await changed(db, { journeys: [journey.id] });
  return { ok: true, version, asked };
}
