/** Two people side by side: what each has, and what becomes of it when they are made one. */
import { nameSql } from '../db/person-name.ts';
import { own } from '../../core/own.ts';
import { createHash } from 'node:crypto';
import type { Channel, ConsentState, FieldValue } from '../../core/person/values.ts';
import { PERSON_COLUMNS } from '../../core/person/columns.ts';
import { CHANNELS } from '../../core/person/values.ts';
import type { Db } from '../db/pool.ts';

/** The one whose number stays is `a`: whoever came first. */
export type Which = 'a' | 'b';

export interface Side {
  id: number;
  name: string;
  /** When they became known here, UTC ms. */
  since: number;
  /** All fields by name, addresses and names among them. */
  fields: Record<string, FieldValue>;
  tags: string[];
  lists: string[];
  consents: Partial<Record<Channel, { state: ConsentState; at: number; source: string }>>;
  walking: SideWalk[];
  /** Further addresses that are theirs already. */
  others: string[];
  walks: number;
  messages: number;
  happenings: number;
  notes: number;
  /** Set aside: their work failed. */
  aside: boolean;
}

interface SideWalk {
  id: number;
  key: string;
  journey: string;
  step: string | null;
  /** UTC ms. */
  entered: number;
  /** Whether the journey may be walked several times at once. */
  each: boolean;
}

export interface ComparedFact {
  name: string;
  a: FieldValue | null;
  b: FieldValue | null;
  /** Whose stays, unless somebody says otherwise: what there is; where both have one, the older's. */
  usual: Which;
}

export interface ComparedConsent {
  channel: Channel;
  a: ConsentState | null;
  b: ConsentState | null;
  /** What it becomes, by whose address is written to. */
  becomes: Record<Which, ConsentState | null>;
}

/** A walk that ends, because the other is in the same journey since longer. */
export interface EndingWalk {
  whose: Which;
  walk: number;
  key: string;
  journey: string;
}

export interface Comparison {
  a: Side;
  b: Side;
  facts: ComparedFact[];
  consents: ComparedConsent[];
  ends: EndingWalk[];
  /** What they look like now, in short: whoever makes them one says which they saw. */
  seen: string;
}

/** Compares two people; `null` where one of them is not there. */
export async function compare(db: Db, one: number, other: number): Promise<Comparison | null> {
  if (one === other) return null;
  const { rows } = await db.query<Side>(SIDE, [[one, other].sort((x, y) => x - y)]);
  const [a, b] = rows;
  if (!a || !b) return null;
  const names = [
    ...PERSON_COLUMNS,
    ...[...new Set([...Object.keys(a.fields), ...Object.keys(b.fields)])]
      .filter((n) => !(PERSON_COLUMNS as readonly string[]).includes(n))
      .sort()
  ];
  const facts = names.flatMap((name): ComparedFact[] => {
    const [x, y] = [own(a.fields, name) ?? null, own(b.fields, name) ?? null];
    return x === null && y === null ? [] : [{ name, a: x, b: y, usual: x === null ? 'b' : 'a' }];
  });
  const consents = CHANNELS.map((channel): ComparedConsent => {
    const [x, y] = [a.consents[channel]?.state ?? null, b.consents[channel]?.state ?? null];
    return { channel, a: x, b: y, becomes: { a: joinConsent(x, y), b: joinConsent(y, x) } };
  });
  const ends = endingOf(a, b);
  const seen = createHash('sha256').update(JSON.stringify([a.id, b.id, facts, consents, ends]));
  return { a, b, facts, consents, ends, seen: seen.digest('base64url') };
}

/**
 * The stricter of two consents. Withdrawn by either is withdrawn; what was given for another address is not given for the
 * one that is written to.
 */
export function joinConsent(own: ConsentState | null, other: ConsentState | null): ConsentState | null {
  if (own === 'withdrawn' || other === 'withdrawn') return 'withdrawn';
  return own === 'given' && other === 'pending' ? 'pending' : own;
}

/** Of two who are in one journey that nobody walks twice at once, the later walk ends. */
function endingOf(a: Side, b: Side): EndingWalk[] {
  const ends: EndingWalk[] = [];
  for (const key of new Set(a.walking.map((w) => w.key))) {
    const both = (['a', 'b'] as const).flatMap((whose) =>
      (whose === 'a' ? a : b).walking.filter((w) => w.key === key && !w.each).map((w) => ({ whose, ...w }))
    );
    if (new Set(both.map((w) => w.whose)).size < 2) continue;
    const [first] = both.sort((x, y) => x.entered - y.entered || x.whose.localeCompare(y.whose));
    for (const w of both)
      if (w.whose !== first?.whose) ends.push({ whose: w.whose, walk: w.id, key: w.key, journey: w.journey });
  }
  return ends;
}

const MS = (column: string): string => `floor(extract(epoch from ${column}) * 1000)`;
const SIDE = `
  select p.id, ${nameSql()} as name, ${MS('p.created_at')} as since,
    jsonb_strip_nulls(jsonb_build_object('email', p.email, 'phone', p.phone, 'first_name', p.first_name, 'last_name', p.last_name,
      'zone', p.zone)) || p.fields as fields,
    array(select tag from person_tags t where t.person_id = p.id order by tag) as tags,
    array(select list from person_lists l where l.person_id = p.id order by list) as lists,
    array(select address from other_addresses o where o.person_id = p.id order by address) as others,
    (select coalesce(jsonb_object_agg(channel, jsonb_build_object('state', state, 'at', ${MS('at')}, 'source', source)), '{}')
     from consents c where c.person_id = p.id) as consents,
    (select coalesce(jsonb_agg(jsonb_build_object('id', w.id, 'key', j.key, 'journey', j.name, 'step', w.step,
       'entered', ${MS('w.entered_at')}, 'each', v.document -> 'entry' ->> 'again' is not distinct from 'each') order by w.id), '[]')
     from walks w join journeys j on j.id = w.journey_id
     join versions v on v.journey_id = w.journey_id and v.number = w.version
     where w.person_id = p.id and w.state = 'walking') as walking,
    (select count(*) from walks w where w.person_id = p.id) as walks,
    (select count(*) from messages m where m.person_id = p.id) as messages,
    (select count(*) from happenings h where h.person_id = p.id) as happenings,
    (select count(*) from person_notes n where n.person_id = p.id) as notes,
    exists (select from set_aside s where s.person_id = p.id) as aside
  from people p where p.id = any($1::bigint[]) order by p.id`;
