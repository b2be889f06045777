/**
 * Taking an import back as a whole: people whom it made go, facts that it changed are as they were. What came since by other
 * hands stays, and is listed. A portion at a time, like the import itself; journeys hear of it as they heard of the import.
 */
import { own } from '../../core/own.ts';
import { now } from '../workspace/clock.ts';
import { inboxHasRoom } from '../inbox/room.ts';
import { changed, notify } from '../db/notify.ts';
import { ts, type Db } from '../db/pool.ts';
import { requestRow } from '../inbox/request.ts';
import { applySilently, type SilentChange } from '../people/silently.ts';
import { lastInTurn, type Running } from './running.ts';

interface Changed {
  person: number;
  before: { fields: Record<string, FieldLike>; consent: Record<string, State> };
  after: { fields: Record<string, FieldLike>; tags: string[]; lists: string[]; consent: Record<string, State> };
  facts: Record<string, unknown>;
  tags: string[];
  lists: string[];
  consent: Record<string, State>;
}
type FieldLike = string | number | boolean | string[] | null;
type State = 'given' | 'pending' | 'withdrawn' | null;

/** What is left of a person whom an import made, if anything, that keeps them here: as SQL over `people p`. */
const KEEPS = `case
  when exists (select from messages m where m.person_id = p.id) then 'has been written to'
  when exists (select from walks w where w.person_id = p.id) then 'is or was in a journey'
  when exists (select from happenings h where h.person_id = p.id and h.source not in ('import', 'engine') and h.name <> 'look') then 'did or got something since'
  when exists (select from import_changes c where c.person_id = p.id and c.import_id <> $2) then 'was changed by another import since'
  when exists (select from person_notes n where n.person_id = p.id) then 'has a note'
  end`;

/** Takes the next portion back; true where there was one, or the end. */
export async function takeBack(db: Db, one: Running, portion: number): Promise<boolean> {
  const { id, reached, plan } = one;
  if (plan.begins && !(await inboxHasRoom(db))) return lastInTurn(db, id);
  const { rows: next } = await db.query<{ id: number; made: boolean }>(
    `select id, bool_or(made) as made from (
       (select person_id as id, false as made from import_changes where import_id = $1 and person_id > $2 order by person_id limit $3)
       union all
       (select id, true from people where id > greatest($2, $4::bigint - 1) and id <= $5 and import_id = $1 order by id limit $3)
     ) as t group by id order by id limit $3`,
    [id, reached, portion, one.first_made ?? 0, one.last_made ?? -1]
  );
  if (!next.length) {
    await db.query(`update imports set state = 'undone', ended_at = clock_timestamp() where id = $1`, [id]);
    await changed(db, { people: 'many', crowds: true });
    return true;
  }
  const removed = await removeMade(
    db,
    id,
    next.flatMap((n) => (n.made ? [n.id] : []))
  );
  const restored = await restore(
    db,
    one,
    next.flatMap((n) => (n.made ? [] : [n.id]))
  );
  await db.query(
    `update imports set reached = $2, removed = removed + $3, restored = restored + $4, worked_at = clock_timestamp() where id = $1`,
    [id, next.at(-1)?.id ?? reached, removed, restored]
  );
  if (plan.begins) await notify(db, 'inbox');
  await changed(db, { people: 'many', crowds: true });
  return true;
}

async function removeMade(db: Db, id: number, people: number[]): Promise<number> {
  if (!people.length) return 0;
  // Nobody works on them meanwhile.
  await db.query('select from people where id = any($1::bigint[]) order by id for update', [people]);
  await db.query(
    `insert into import_stays (import_id, person_id, what)
     select $2, p.id, ${KEEPS} from people p where p.id = any($1::bigint[]) and ${KEEPS} is not null on conflict do nothing`,
    [people, id]
  );
  const { rowCount } = await db.query(
    `delete from people p where p.id = any($1::bigint[])
       and not exists (select from import_stays s where s.import_id = $2 and s.person_id = p.id)`,
    [people, id]
  );
  return rowCount ?? 0;
}

async function restore(db: Db, { id, name, plan }: Running, people: number[]): Promise<number> {
  if (!people.length) return 0;
  // Nobody works on them meanwhile: what they did until now counts, what they do from now on comes behind it.
  await db.query('select from people where id = any($1::bigint[]) order by id for no key update', [people]);
  // What had not been worked off yet never came to be.
  const { rows: pending } = await db.query<{ person_id: number }>(
    `delete from happenings where person_id = any($1::bigint[]) and handled_at is null and source = 'import' and source_id like $2
     returning person_id`,
    [people, `${id}/%`]
  );
  const never = new Set(pending.map((p) => p.person_id));
  const { rows } = await db.query<Changed>(
    `select p.id as person, c.before, c.after,
       p.fields || jsonb_build_object('email', p.email, 'phone', p.phone, 'first_name', p.first_name, 'last_name', p.last_name, 'zone', p.zone) as facts,
       array(select tag from person_tags t where t.person_id = p.id) as tags,
       array(select list from person_lists l where l.person_id = p.id) as lists,
       (select coalesce(jsonb_object_agg(channel, state), '{}') from consents s where s.person_id = p.id) as consent
     from import_changes c join people p on p.id = c.person_id
     where c.import_id = $1 and c.person_id = any($2::bigint[])`,
    [id, people]
  );
  const stays: { person: number; what: string }[] = [];
  const changes = rows
    .filter((r) => !never.has(r.person))
    .map((r) => reverseOf(r, (what) => void stays.push({ person: r.person, what })))
    .filter((c) => Object.keys(c.fields).length > 0 || Object.keys(c).length > 2);
  if (stays.length)
    await db.query(
      `insert into import_stays (import_id, person_id, what) select $1, * from unnest($2::bigint[], $3::text[]) on conflict do nothing`,
      [id, stays.map((s) => s.person), stays.map((s) => s.what)]
    );
  const at = ts(await now(db)) ?? '';
  const proof = { source: `import taken back (${name})`.slice(0, 300), wording: null };
  if (plan.begins)
    await db.query(
      `insert into happenings (person_id, name, at, source, source_id, data)
       select person_id, 'set', $3::timestamptz, 'import', $4, data from unnest($1::bigint[], $2::jsonb[]) as t (person_id, data) on conflict do nothing`,
      [
        changes.map((c) => c.person),
        changes.map(({ person: _, ...set }) => requestRow('set', { ...set, ...(set.consent ? { proof } : {}) }).data),
        at,
        `${id}/back`
      ]
    );
  else await applySilently(db, changes, at, 'import', proof);
  return changes.length;
}

/** What a channel's consent is called where it stays. */
const CONSENT_OF: Record<string, string> = { email: 'consent for emails', sms: 'consent for texts' };

const alike = (a: unknown, b: unknown): boolean => JSON.stringify(a ?? null) === JSON.stringify(b ?? null);

/** What takes a change back, but for what has changed since. */
function reverseOf({ person, before, after, ...now }: Changed, stays: (what: string) => void): SilentChange {
  const back = <T>(
    was: Record<string, T>,
    set: Record<string, T>,
    current: Record<string, unknown>,
    called = (key: string): string => key
  ): Record<string, T> =>
    Object.fromEntries(
      Object.entries(set).flatMap(([key, value]) => {
        if (alike(own(current, key), value)) return [[key, own(was, key) ?? (null as T)]];
        if (!alike(own(current, key), own(was, key))) stays(called(key));
        return [];
      })
    );
  const fields = back(before.fields, after.fields, now.facts);
  const consent = back(before.consent, after.consent, now.consent, (channel) => CONSENT_OF[channel] ?? channel);
  // What was withdrawn stays so, whoever said it: given back it is by the person, or by one colleague for them.
  for (const channel of Object.keys(consent))
    if (now.consent[channel] === 'withdrawn') {
      delete consent[channel];
      stays(`${CONSENT_OF[channel] ?? channel} (withdrawn)`);
    }
  const removeTags = after.tags.filter((t) => now.tags.includes(t));
  const removeLists = after.lists.filter((l) => now.lists.includes(l));
  return {
    person,
    fields,
    ...(Object.keys(consent).length ? { consent } : {}),
    ...(removeTags.length ? { removeTags } : {}),
    ...(removeLists.length ? { removeLists } : {})
  };
}
