/** Journeys that can be named, by their key; archived ones are over. */
export async function journeyNames(db: Db): Promise<{ key: string; name: string }[]> {
  const { rows } = await db.query<{ key: string; name: string }>(
    `select key, name from journeys where state <> 'archived' order by lower(name), key`
  );
  return rows;
}

/** Journeys as documents: making one, saving its draft, reading it. */
import { schemaProblems, pathText } from '../../core/journey/problems.ts';
import { sizeProblem, sizeText } from '../../core/journey/size.ts';
import { FORMAT, journeySchema, type Journey } from '../../core/journey/schema.ts';
import { now } from '../workspace/clock.ts';
import { ts, type Db } from '../db/pool.ts';

export type JourneyState = 'draft' | 'live' | 'paused' | 'closing' | 'closed' | 'archived';

export interface JourneyRow {
  id: number;
  key: string;
  name: string;
  folder: string;
  state: JourneyState;
  draft: Journey;
  draft_revision: number;
  draft_saved_at: number;
  draft_saved_by: string;
  live_version: number | null;
  /** Who locked it, and why: looked at, and changed by nobody until it is unlocked. */
  locked_by: string | null;
  locked_why: string | null;
  /** Names and aims only, for now. */
  sketch: boolean;
}

export async function journeyByKey(db: Db, key: string): Promise<JourneyRow | null> {
  const { rows } = await db.query<JourneyRow>({
    name: 'journey-by-key',
    text: `select id, key, name, folder, state, draft, draft_revision, draft_saved_at, draft_saved_by, live_version, locked_by,
      locked_why, sketch from journeys where key = $1`,
    values: [key]
  });
  return rows[0] ?? null;
}

export async function versionOf(
  db: Db,
  journeyId: number,
  number: number
): Promise<{ document: Journey; live_from: number; set_live_by: string } | null> {
  const { rows } = await db.query<{ document: Journey; live_from: number; set_live_by: string }>({
    name: 'version',
    text: 'select document, live_from, set_live_by from versions where journey_id = $1 and number = $2',
    values: [journeyId, number]
  });
  return rows[0] ?? null;
}

/** All versions of a journey, newest first. */
export async function versionsOf(
  db: Db,
  journeyId: number
): Promise<{ number: number; live_from: number; set_live_by: string }[]> {
  const { rows } = await db.query<{ number: number; live_from: number; set_live_by: string }>(
    `select number, live_from, set_live_by from versions where journey_id = $1 order by number desc limit 1000`,
    [journeyId]
  );
  return rows;
}

/** A key made of a name: lower-case letters, digits and "-". */
export function keyFrom(name: string): string {
  const plain = name.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase();
  return (
    plain
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 60) || 'journey'
  );
}

/** Makes a journey from a document; its key gets a number where it is taken. */
export async function createJourney(
  db: Db,
  document: Journey,
  by: string,
  folder = '',
  sketch = false
): Promise<string> {
  const at = ts(await now(db));
  for (let n = 1; ; n++) {
    const number = n === 1 ? '' : `-${n}`;
    const key = document.key.slice(0, 60 - number.length) + number;
    const { rowCount } = await db.query(
      `insert into journeys (key, name, folder, draft, draft_saved_at, created_at, created_by, sketch)
       values ($1, $2, $3, $4, $5, $5, $6, $7) on conflict (key) do nothing`,
      [key, document.name ?? key, folder, JSON.stringify({ ...document, key }), at, by, sketch]
    );
    if (rowCount) return key;
  }
}

/** An empty journey. */
export function emptyJourney(name: string): Journey {
  return { format: FORMAT, key: keyFrom(name), name, entry: { on: [] }, lane: [] };
}

export type Saved =
  | { ok: true; revision: number; savedAt: number }
  | { ok: false; kind: 'gone' | 'changed' | 'bad' | 'locked'; message: string; current?: CurrentDraft };

/** The draft as it stands, for whoever has changed an older one. */
export interface CurrentDraft {
  revision: number;
  document: Journey;
  by: string;
}

/** Saves a draft, unless someone else saved in between. A draft may be unfinished, not malformed. */
export async function saveDraft(db: Db, key: string, revision: number, document: unknown, by = ''): Promise<Saved> {
  const size = sizeProblem(document);
  if (size) return { ok: false, kind: 'bad', message: sizeText(size) };
  const read = journeySchema.safeParse(document);
  if (!read.success) {
    const [first] = schemaProblems(read.error, document);
    return {
      ok: false,
      kind: 'bad',
      message: first ? `${pathText(first.path)}: ${first.message}` : 'the draft cannot be read'
    };
  }
  if (read.data.key !== key)
    return { ok: false, kind: 'bad', message: `key: found "${read.data.key}", expected "${key}"` };
  const at = await now(db);
  const { rows } = await db.query<{ draft_revision: number }>(
    `update journeys set draft = $3, name = $4, draft_revision = draft_revision + 1, draft_saved_at = $5, draft_saved_by = $6
     where key = $1 and draft_revision = $2 and locked_by is null
     returning draft_revision`,
    [key, revision, JSON.stringify(read.data), read.data.name ?? key, ts(at), by]
  );
  if (rows[0]) return { ok: true, revision: rows[0].draft_revision, savedAt: at };
  const current = await journeyByKey(db, key);
  if (!current) return { ok: false, kind: 'gone', message: 'This journey has been deleted.' };
  if (current.locked_by !== null) return { ok: false, kind: 'locked', message: lockWords(current) };
  return {
    ok: false,
    kind: 'changed',
    message: 'This draft was changed in another window. What you see here is not saved.',
    current: { revision: current.draft_revision, document: current.draft, by: current.draft_saved_by }
  };
}

/** "Nuala B. has locked this journey: it is being printed." */
export const lockWords = ({ locked_by: by, locked_why: why }: Pick<JourneyRow, 'locked_by' | 'locked_why'>): string =>
  `${by} has locked this journey${why ? `: ${why}` : ''}. It can be looked at, and not changed.`;

/** Locks a journey, or unlocks it; false where somebody else has locked it already. */
export async function lockJourney(db: Db, key: string, by: string, why: string | null): Promise<boolean> {
  const at = why === null ? null : ts(await now(db));
  const { rowCount } = await db.query(
    `update journeys set locked_by = $2, locked_why = $3, locked_at = $4 where key = $1 and ($2::text is null or locked_by is null)`,
    [key, why === null ? null : by, why, at]
  );
  return rowCount === 1;
}

/** Makes a journey from another one's draft. */
export async function cloneJourney(db: Db, key: string, by: string): Promise<string | null> {
  const journey = await journeyByKey(db, key);
  if (!journey) return null;
  const name = `Copy of ${journey.name}`.slice(0, 120);
  return createJourney(db, { ...journey.draft, key: keyFrom(name), name }, by, journey.folder);
}

/** Puts a journey into a folder; an empty name is none. */
export async function moveToFolder(db: Db, key: string, folder: string): Promise<void> {
  await db.query('update journeys set folder = $2 where key = $1', [key, folder]);
}

/** A sketch is filled in from now on. */
export async function fillIn(db: Db, key: string): Promise<void> {
  await db.query('update journeys set sketch = false where key = $1', [key]);
}
