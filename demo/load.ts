/**
 * Loads the demo world: people from the CSV, journeys from their files, and the
 * weeks up to now, which the engine itself lives through on the practice clock,
 * with the passers-by reacting over real mail and text.
 */
import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'csv-parse/sync';
import { parseJourney } from '../core/journey/parse.ts';
import { DAY, HOUR, MINUTE } from '../core/time/duration.ts';
import { DEMO_USER } from '../server/access/demo-user.ts';
import { askSkip, latestSkip } from '../server/running/skip.ts';
import type { Pool } from '../server/db/pool.ts';
import { makeKey } from '../server/api/keys.ts';
import { saveSettings } from '../server/settings/save.ts';
import { createJourney } from '../server/journeys/journeys.ts';
import { setLive } from '../server/journeys/going-live.ts';
import { importWhole } from '../server/imports/whole.ts';
import { askChange } from '../server/people/inputs.ts';

/** Monday 11 January 2027, in the morning. */
export const DEMO_START = Date.parse('2027-01-11T08:00:00Z');
/** Monday 1 March 2027, 09:40. */
export const DEMO_NOW = Date.parse('2027-03-01T09:40:00Z');

const LIVE = ['after-the-first-visit', 'membership-runs-out', 'monday-letter', 'seats-at-a-member-night'];

export interface LoadOptions {
  /** Everything: the settings, and journeys of every kind of step. */
  whole?: boolean;
  /** Takes the key by which the passers-by tell of visits. */
  keepKey?: (token: string) => void;
}

export async function loadDemo(
  pool: Pool,
  folder: string,
  until: number,
  progress: (text: string) => void,
  { whole = false, keepKey }: LoadOptions = {}
): Promise<void> {
  const { preview, line } = await importWhole(
    pool,
    readFileSync(join(folder, 'people.csv')),
    // They only describe how things stand: nobody is let in anywhere.
    (proposed) => ({ ...proposed, begins: false, consent: { ...proposed.consent, source: 'newsletter form' } })
  );
  const [refused] = preview.refusedFirst;
  if (refused) throw new Error(`people.csv, line ${refused.line}: ${refused.reason}`);
  const { made } = line;
  progress(`${made} people`);

  if (whole) {
    const saved = await saveSettings(
      pool,
      JSON.parse(readFileSync(join(folder, 'settings.json'), 'utf8')),
      DEMO_USER.name
    );
    if (!saved.ok) throw new Error(`settings.json: ${saved.problems[0]}`);
  }
  keepKey?.(await makeKey(pool, 'Passers-by: visits and the shop', ['happenings:write'], DEMO_USER.name));
  const files = ['journeys', ...(whole ? ['more'] : [])].flatMap((from) =>
    readdirSync(join(folder, from))
      .sort()
      .map((name) => join(from, name))
  );
  for (const file of files) {
    const { journey, problems } = parseJourney(readFileSync(join(folder, file), 'utf8'));
    if (!journey) throw new Error(`${file}:${problems[0]?.line}: ${problems[0]?.path}: ${problems[0]?.message}`);
    const key = await createJourney(pool, journey, DEMO_USER.name, journey.labels?.[0] ?? '');
    if (!LIVE.includes(key)) continue;
    const live = await setLive(pool, key, 1, DEMO_USER.name);
    if (!live.ok) throw new Error(`${file}: ${live.message}`);
  }

  const visits = parse(readFileSync(join(folder, 'visits.csv'), 'utf8'), { columns: true }) as {
    day: string;
    email: string;
    tag: string;
  }[];
  const { rows } = await pool.query<{ id: number; email: string }>('select id, email from people');
  const ids = new Map(rows.map((r) => [r.email, r.id]));
  for (let day = DEMO_START; day < until; day += DAY) {
    const date = new Date(day).toISOString().slice(0, 10);
    progress(`history: ${date}`);
    const evening = day + 13 * HOUR + 30 * MINUTE;
    if (evening >= until) break;
    await skipTo(pool, evening);
    const here = visits.filter((v) => v.day === date);
    for (const tag of new Set(here.map((v) => v.tag))) {
      const people = here.filter((v) => v.tag === tag).flatMap((v) => ids.get(v.email) ?? []);
      await askChange(pool, people, { addTags: [tag] }, 'door', `${date}/${tag}`);
    }
  }
  await skipTo(pool, until);
}

async function skipTo(pool: Pool, target: number): Promise<void> {
  const id = await askSkip(pool, target, true, 'demo');
  for (;;) {
    const skip = await latestSkip(pool);
    if (skip?.id === id && skip.state === 'done') return;
    if (skip?.state === 'failed' || skip?.state === 'stopped')
      throw new Error(`the history stopped: ${skip.error ?? skip.state}`);
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}
