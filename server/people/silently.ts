/**
 * Facts written as they stand, without any journey hearing of it: what is brought from elsewhere only describes how things
 * are. Each change is on record like any other, before all that is yet to come.
 */
import type { Channel, ConsentState, FieldValue } from '../../core/person/values.ts';
import { PERSON_COLUMNS } from '../../core/person/columns.ts';
import { readClock } from '../workspace/clock.ts';
import { notify } from '../db/notify.ts';
import type { Db } from '../db/pool.ts';
import { Counts } from '../engine/count.ts';

export interface SilentChange {
  person: number;
  /** `null` clears. */
  fields: Record<string, FieldValue | null>;
  addTags?: string[];
  removeTags?: string[];
  addLists?: string[];
  removeLists?: string[];
  consent?: Partial<Record<Channel, ConsentState | null>>;
}

export interface Proof {
  source: string;
  wording: string | null;
}

/** Writes changes of some thousand people at most, each named once, and has their segments looked at. `at`: ISO. */
export async function applySilently(
  db: Db,
  changes: SilentChange[],
  at: string,
  source: string,
  proof: Proof
): Promise<void> {
  if (!changes.length) return;
  const ids = changes.map((c) => c.person);
  // Nobody works on them, or is worked on, meanwhile.
  await db.query('select from people where id = any($1::bigint[]) order by id for no key update', [ids]);
  const own = PERSON_COLUMNS.map((c) => `${c} = case when t.fields ? '${c}' then t.fields ->> '${c}' else p.${c} end`);
  await db.query(
    `update people p
     set ${own.join(', ')},
       fields = (p.fields || jsonb_strip_nulls(t.fields - $3::text[]))
         - array(select key from jsonb_each(t.fields) where value = 'null'::jsonb), updated_at = $4
     from unnest($1::bigint[], $2::jsonb[]) as t (id, fields)
     where p.id = t.id and t.fields <> '{}'`,
    [ids, changes.map((c) => JSON.stringify(c.fields)), [...PERSON_COLUMNS], at]
  );
  await recordAll(
    db,
    changes.flatMap((c) =>
      Object.entries(c.fields).map(([field, to]) => ({
        person: c.person,
        name: 'field_changed',
        data: { field, ...(to === null ? {} : { to }) }
      }))
    ),
    at,
    source
  );
  for (const [fact, name, on, names] of [
    ['tag', 'tag_added', true, 'addTags'],
    ['tag', 'tag_removed', false, 'removeTags'],
    ['list', 'list_joined', true, 'addLists'],
    ['list', 'list_left', false, 'removeLists']
  ] as const) {
    const rows = changes.flatMap((c) => (c[names] ?? []).map((label) => ({ person: c.person, label })));
    if (!rows.length) continue;
    if (fact === 'tag' && on)
      await nameTags(
        db,
        rows.map((r) => r.label),
        at
      );
    const values = [rows.map((r) => r.person), rows.map((r) => r.label)];
    await (on
      ? db.query(
          `insert into person_${fact}s (person_id, ${fact}, since)
           select *, $3::timestamptz from unnest($1::bigint[], $2::text[]) on conflict do nothing`,
          [...values, at]
        )
      : db.query(
          `delete from person_${fact}s l using unnest($1::bigint[], $2::text[]) as t (person_id, label)
           where l.person_id = t.person_id and l.${fact} = t.label`,
          values
        ));
    await recordAll(
      db,
      rows.map((r) => ({ person: r.person, name, data: { [fact]: r.label } })),
      at,
      source
    );
  }
  const counts = new Counts((await readClock(db)).zone);
  const count = (kind: 'tag' | 'list', names: string[] | undefined, on: boolean): void =>
    names?.forEach((name) => counts.label(Date.parse(at), kind, name, on));
  for (const c of changes) {
    count('tag', c.addTags, true);
    count('tag', c.removeTags, false);
    count('list', c.addLists, true);
    count('list', c.removeLists, false);
  }
  await counts.save(db);
  await applyConsents(db, changes, at, source, proof);
  if (await wantsLooks(db)) await lookSilently(db, ids, at, source);
}

/** Whether dates and segments of whoever comes or changes have to be worked out: anything of the workspace goes by them. */
export async function wantsLooks(db: Db): Promise<boolean> {
  const { rows } = await db.query<{ looks: boolean }>({
    name: 'wants-looks',
    text: `select exists (select from workspace where jsonb_array_length(coalesce(settings -> 'segments', '[]')) > 0)
       or exists (
         select from journeys j join versions v on v.journey_id = j.id and v.number = j.live_version
         where j.state = 'live' and v.document -> 'entry' ?| array['date', 'timetable']) as looks`
  });
  return rows[0]?.looks ?? false;
}

/** Asks the engine which segments they are in now. That they have joined or left is nothing that a journey hears of either. */
async function lookSilently(db: Db, people: number[], at: string, source: string): Promise<void> {
  await db.query(
    `insert into happenings (person_id, name, at, source, data)
     select id, 'look', $2, $3, '{"segments": "silently"}' from unnest($1::bigint[]) with ordinality as t (id, place) order by place`,
    [people, at, source]
  );
  await notify(db, 'inbox');
}

async function applyConsents(db: Db, changes: SilentChange[], at: string, source: string, proof: Proof): Promise<void> {
  const rows = changes.flatMap((c) =>
    Object.entries(c.consent ?? {}).map(([channel, state]) => ({ person: c.person, channel, state }))
  );
  if (!rows.length) return;
  // Withdrawn stays withdrawn: what is brought from elsewhere is nobody's own act.
  const said = rows.filter((r) => r.state !== null);
  const { rows: set } = await db.query<{ person: number; channel: Channel; state: ConsentState }>(
    `insert into consents as c (person_id, channel, state, at, source, wording)
     select person_id, channel, state, $4::timestamptz, $5::text, $6::text from unnest($1::bigint[], $2::text[], $3::text[]) as t (person_id, channel, state)
     order by person_id, channel
     on conflict (person_id, channel) do update
     set state = excluded.state, at = excluded.at, source = excluded.source, wording = excluded.wording
     where c.state <> 'withdrawn'
     returning person_id as person, channel, state`,
    [said.map((r) => r.person), said.map((r) => r.channel), said.map((r) => r.state), at, proof.source, proof.wording]
  );
  const cleared = rows.filter((r) => r.state === null);
  const { rows: gone } = await db.query<{ person: number; channel: Channel }>(
    `delete from consents c using unnest($1::bigint[], $2::text[]) as t (person_id, channel)
     where c.person_id = t.person_id and c.channel = t.channel and c.state <> 'withdrawn'
     returning c.person_id as person, c.channel`,
    [cleared.map((r) => r.person), cleared.map((r) => r.channel)]
  );
  await recordAll(
    db,
    [...set, ...gone.map((g) => ({ ...g, state: '' }))].map((r) => ({
      person: r.person,
      name: 'consent_changed',
      data: { channel: r.channel, to: r.state }
    })),
    at,
    source
  );
}

export async function nameTags(db: Db, tags: readonly string[], at: string): Promise<void> {
  if (!tags.length) return;
  await db.query(
    `insert into tags (name, created_at) select distinct name, $2::timestamptz from unnest($1::text[]) as t (name) order by name on conflict do nothing`,
    [tags, at]
  );
}

/** Puts happenings on record that nobody has to hear of. Place 0: before all that a person's work has recorded. */
async function recordAll(
  db: Db,
  rows: { person: number; name: string; data: object }[],
  at: string,
  source: string
): Promise<void> {
  if (!rows.length) return;
  await db.query(
    `insert into happenings (person_id, name, at, source, data, record, handled_at)
     select person_id, name, $4::timestamptz, $5, data, 0, $4::timestamptz
     from unnest($1::bigint[], $2::text[], $3::jsonb[]) with ordinality as t (person_id, name, data, place) order by place`,
    [rows.map((r) => r.person), rows.map((r) => r.name), rows.map((r) => JSON.stringify(r.data)), at, source]
  );
}
