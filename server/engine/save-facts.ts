/** Writes the facts that a batch changed: labels, scores, consents, fields, suppressions, in set statements. */
import { bare } from '../../core/bare.ts';
import type { FieldValue } from '../../core/person/values.ts';
import { columns } from '../db/columns.ts';
import { ts, type Db } from '../db/pool.ts';
import { catalogueFields } from './field-names.ts';
import type { BatchRecord } from './record.ts';

interface Last {
  person: number;
  at: string | null;
}

/** Of several changes to one fact of one person only the last is written. */
export async function saveFacts(db: Db, { changes }: Pick<BatchRecord, 'changes'>): Promise<void> {
  if (!changes.length) return;
  const labels = {
    tag: new Map<string, Last & { name: string; on: boolean }>(),
    list: new Map<string, Last & { name: string; on: boolean }>(),
    segment: new Map<string, Last & { name: string; on: boolean }>()
  };
  const scores = new Map<string, Last & { name: string; points: number }>();
  const consents = new Map<
    string,
    Last & { channel: string; state: string | null; source: string; wording: string | null }
  >();
  const fields = new Map<number, Record<string, FieldValue | null>>();
  const suppressed = new Map<string, { address: string; at: string | null }>();
  for (const { person, at, change, source, wording } of changes) {
    const last = { person, at: ts(at) };
    switch (change.fact) {
      case 'tag':
      case 'list':
      case 'segment':
        labels[change.fact].set(`${person}/${change.name}`, { ...last, name: change.name, on: change.on });
        break;
      case 'score':
        scores.set(`${person}/${change.name}`, { ...last, name: change.name, points: change.points });
        break;
      case 'consent':
        consents.set(`${person}/${change.channel}`, {
          ...last,
          channel: change.channel,
          state: change.state,
          source,
          wording
        });
        break;
      case 'field':
        fields.set(person, Object.assign(fields.get(person) ?? bare(), { [change.name]: change.value }));
        break;
      case 'suppressed':
        suppressed.set(change.address, { address: change.address.toLowerCase(), at: ts(at) });
        break;
    }
  }
  for (const fact of ['tag', 'list', 'segment'] as const) await saveLabels(db, fact, [...labels[fact].values()]);
  if (scores.size) {
    await db.query({
      name: 'save-scores',
      text: `
        insert into scores (person_id, score, points, at)
        select * from unnest($1::bigint[], $2::text[], $3::double precision[], $4::timestamptz[])
        on conflict (person_id, score) do update set points = excluded.points, at = excluded.at`,
      values: columns([...scores.values()], ['person', 'name', 'points', 'at'])
    });
  }
  await saveConsents(db, [...consents.values()]);
  if (suppressed.size) {
    await db.query(
      `insert into suppressions (address, at, reason)
       select address, at, 'bounced' from unnest($1::text[], $2::timestamptz[]) as t (address, at)
       on conflict do nothing`,
      columns([...suppressed.values()], ['address', 'at'])
    );
  }
  for (const [person, set] of fields) await saveFields(db, person, set);
  const named = changes.flatMap(({ change: c }) =>
    c.fact === 'field' && c.value !== null && !OWN_COLUMNS.has(c.name) ? [c.name] : []
  );
  await catalogueFields(db, named, changes[0]?.at ?? 0);
}

async function saveLabels(
  db: Db,
  fact: 'tag' | 'list' | 'segment',
  rows: (Last & { name: string; on: boolean })[]
): Promise<void> {
  const table = `person_${fact}s`;
  const on = rows.filter((r) => r.on);
  const off = rows.filter((r) => !r.on);
  if (on.length) {
    if (fact === 'tag') {
      await db.query({
        name: 'catalogue-tags',
        text: `insert into tags (name, created_at) select distinct on (name) name, at
               from unnest($1::text[], $2::timestamptz[]) as t (name, at) order by name, at on conflict do nothing`,
        values: columns(on, ['name', 'at'])
      });
    }
    await db.query({
      name: `put-${table}`,
      text: `
        insert into ${table} (person_id, ${fact}, since)
        select * from unnest($1::bigint[], $2::text[], $3::timestamptz[])
        on conflict do nothing`,
      values: columns(on, ['person', 'name', 'at'])
    });
  }
  if (off.length && fact === 'segment') {
    await db.query({
      name: 'leave-segments',
      text: `
        with gone as (
          delete from person_segments s
          using unnest($1::bigint[], $2::text[], $3::timestamptz[]) as t (person_id, name, at)
          where s.person_id = t.person_id and s.segment = t.name
          returning s.person_id, s.segment, s.since, t.at
        )
        insert into segment_past (person_id, segment, since, left_at) select * from gone
        on conflict (person_id, segment) do update set since = excluded.since, left_at = excluded.left_at`,
      values: columns(off, ['person', 'name', 'at'])
    });
  } else if (off.length) {
    await db.query({
      name: `take-${table}`,
      text: `
        delete from ${table} l
        using unnest($1::bigint[], $2::text[]) as t (person_id, name)
        where l.person_id = t.person_id and l.${fact} = t.name`,
      values: columns(off, ['person', 'name'])
    });
  }
}

async function saveConsents(
  db: Db,
  rows: (Last & { channel: string; state: string | null; source: string; wording: string | null })[]
): Promise<void> {
  const known = rows.filter((r) => r.state !== null);
  const cleared = rows.filter((r) => r.state === null);
  // Where a withdrawal waits that journeys have not heard of, it is what they know that changes, and it stays in force.
  if (known.length) {
    await db.query({
      name: 'save-consents',
      text: `
        insert into consents as c (person_id, channel, state, at, source, wording)
        select * from unnest($1::bigint[], $2::text[], $3::text[], $4::timestamptz[], $5::text[], $6::text[]) as t (person_id)
        order by person_id, 2
        on conflict (person_id, channel) do update
        set heard = case when c.told_by is not null then excluded.state end,
          state = case when c.told_by is null then excluded.state else c.state end,
          at = case when c.told_by is null then excluded.at else c.at end,
          source = case when c.told_by is null then excluded.source else c.source end,
          wording = case when c.told_by is null then excluded.wording else c.wording end`,
      values: columns(known, ['person', 'channel', 'state', 'at', 'source', 'wording'])
    });
  }
  if (cleared.length) {
    const values = columns(cleared, ['person', 'channel']);
    const which = `unnest($1::bigint[], $2::text[]) as t (person_id, channel)
       where c.person_id = t.person_id and c.channel = t.channel`;
    await db.query(`update consents c set heard = null from ${which} and c.told_by is not null`, values);
    await db.query(`delete from consents c using ${which} and c.told_by is null`, values);
  }
}

const OWN_COLUMNS = new Set(['email', 'phone', 'first_name', 'last_name', 'zone']);

async function saveFields(db: Db, person: number, set: Record<string, FieldValue | null>): Promise<void> {
  const own = Object.entries(set).filter(([name]) => OWN_COLUMNS.has(name));
  const other = Object.entries(set).filter(([name]) => !OWN_COLUMNS.has(name));
  const keep = Object.fromEntries(other.filter(([, v]) => v !== null));
  const drop = other.filter(([, v]) => v === null).map(([name]) => name);
  const assign = own.map(([name], i) => `${name} = $${i + 4}`);
  await db.query(
    `update people set ${[...assign, 'fields = (fields || $2::jsonb) - $3::text[]'].join(', ')} where id = $1`,
    [person, JSON.stringify(keep), drop, ...own.map(([, v]) => v)]
  );
}
