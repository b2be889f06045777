/**
 * Making two people one. Everything of the one who came later goes to the other, renumbered as though one had done it all;
 * the number that is gone stays known, for links and reports of what went out under it. One transaction: killed anywhere, they
 * are two or they are one. docs/decisions/0035-two-who-are-one.md
 */
import { own } from '../../core/own.ts';
import type { PoolClient } from 'pg';
import { PERSON_COLUMNS } from '../../core/person/columns.ts';
import type { Channel, ConsentState } from '../../core/person/values.ts';
import { readClock } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { Counts } from '../engine/count.ts';
import type { SettingsBook } from '../workspace/settings.ts';
import { compare, type Comparison, type Which } from './compare.ts';
import { joinedState, keepState, moveLabels, moveRows, renumber } from './move-rows.ts';

export interface MergeAsked {
  one: number;
  other: number;
  /** By fact, whose stays; what is not named stays as is usual. */
  choose: Record<string, Which>;
  /** {@link Comparison.seen} of what was looked at. */
  seen: string;
}

export type Merged = { ok: true; person: number } | { ok: false; problem: string };

/** A refusal that takes everything back. */
class Refused extends Error {}
/** Somebody has hold of what has to be moved; soon they have not. */
class NotNow extends Error {}

/** So long it is tried while a message to them is just going out. */
const TRY_FOR_MS = 8000;

export async function merge(pool: Pool, settings: SettingsBook, asked: MergeAsked, by: string): Promise<Merged> {
  for (const until = Date.now() + TRY_FOR_MS; ;) {
    try {
      return await transaction(pool, (db) => mergeIn(db, settings, asked, by));
    } catch (error) {
      if (error instanceof Refused) return { ok: false, problem: error.message };
      if (!(error instanceof NotNow) && !isHeld(error)) throw error;
      if (Date.now() > until)
        return {
          ok: false,
          problem: 'Something for them is just going out. Nothing was changed: try again in a moment.'
        };
      await new Promise((resolve) => setTimeout(resolve, 250));
    }
  }
}

/** Locked by somebody else (55P03), or two waited for each other (40P01). */
const isHeld = (error: unknown): boolean => ['55P03', '40P01'].includes(String((error as { code?: unknown }).code));

async function mergeIn(db: PoolClient, settings: SettingsBook, asked: MergeAsked, by: string): Promise<Merged> {
  await db.query(`set local lock_timeout = '2s'`);
  // Whoever works on one of them, or stores something of them, comes before or after.
  const both = [asked.one, asked.other];
  await db.query('select from people where id = any($1::bigint[]) order by id for update', [both]);
  const found = await compare(db, asked.one, asked.other);
  if (!found) throw new Refused('One of them is not there any more.');
  if (found.seen !== asked.seen)
    throw new Refused('They have changed since you looked. Nothing was done: look again at what would become of them.');
  const aside = [found.a, found.b].find((s) => s.aside);
  if (aside)
    throw new Refused(`The work of ${aside.name} failed and is set aside: that has to go on first, from their page.`);
  const [kept, gone] = [found.a.id, found.b.id];
  await holdOutgoing(db, gone);

  const { now, zone } = await readClock(db);
  const at = ts(now) ?? '';
  const states = await joinedState(db, settings, found, now);
  const counts = new Counts(zone);
  if (found.a.walking.length && found.b.walking.length) counts.flowNow('walkers', -1);
  for (const tag of found.b.tags) if (found.a.tags.includes(tag)) counts.label(now, 'tag', tag, false);
  for (const list of found.b.lists) if (found.a.lists.includes(list)) counts.label(now, 'list', list, false);
  await renumber(db, kept, gone, states.walks);
  await moveRows(db, kept, gone, states.walks);
  for (const segment of await moveLabels(db, kept, gone)) counts.label(now, 'segment', segment, false);
  await keepState(db, kept, gone, states, at);
  const mains = await joinFacts(db, found, asked.choose, at, by);
  await joinConsents(db, found, mains, at);
  await db.query('insert into merged (gone, person_id, walks, at, by) values ($1, $2, $3, $4, $5)', [
    gone,
    kept,
    states.walks,
    at,
    by
  ]);
  await endDoubleWalks(db, found, kept, states.walks, at, by);
  // What a segment says of both together may be otherwise than of either.
  await db.query(
    `insert into happenings (person_id, name, at, source, source_id, data) values ($1, 'look', $2, $3, $4, '{"segments": "told"}')`,
    [kept, at, by, `merged ${gone}`]
  );
  await counts.save(db);
  await db.query(`insert into acts (at, by, what, detail) values ($1, $2, 'merged', $3)`, [
    at,
    by,
    JSON.stringify({ person: kept, gone })
  ]);
  await notify(db, 'inbox');
  await changed(db, { people: [kept, gone], crowds: true });
  return { ok: true, person: kept };
}

/** Holds what has yet to go out to somebody, so that no sender takes it up meanwhile; refused while one has. */
async function holdOutgoing(db: Db, person: number): Promise<void> {
  for (const table of ['messages', 'errands', 'answers']) {
    const { rows } = await db.query<{ state: string }>(
      `select state from ${table} where person_id = $1 and state in ('queued', 'sending') for update`,
      [person]
    );
    if (rows.some((r) => r.state === 'sending')) throw new NotNow();
  }
}

/** Facts as they were chosen; each that changes is on record. Gives whose address is written to, by channel. */
async function joinFacts(
  db: Db,
  { a, b, facts }: Comparison,
  choose: Record<string, Which>,
  at: string,
  by: string
): Promise<Record<Channel, Which>> {
  const whose = (name: string): Which => {
    const fact = facts.find((f) => f.name === name);
    const wanted = own(choose, name) ?? fact?.usual ?? 'a';
    return fact?.[wanted] === null ? fact.usual : wanted;
  };
  const taken = facts.filter((f) => whose(f.name) === 'b' && JSON.stringify(f.a) !== JSON.stringify(f.b));
  const others: [string, Channel][] = [];
  for (const [name, channel] of [
    ['email', 'email'],
    ['phone', 'sms']
  ] as const) {
    const other = own((whose(name) === 'a' ? b : a).fields, name);
    const main = own((whose(name) === 'a' ? a : b).fields, name);
    if (typeof other === 'string' && other !== main) others.push([other.toLowerCase(), channel]);
  }
  await db.query(
    `insert into happenings (person_id, name, at, source, data, record, handled_at) values ($1, 'merged', $2, $3, $4, 0, $2)`,
    [
      a.id,
      at,
      by,
      JSON.stringify({
        by,
        gone: b.id,
        name: b.name,
        // What does not stay is still known.
        was: Object.fromEntries(
          facts.flatMap((f) => {
            const lost = whose(f.name) === 'a' ? f.b : f.a;
            return lost === null || JSON.stringify(f.a) === JSON.stringify(f.b) ? [] : [[f.name, lost]];
          })
        )
      })
    ]
  );
  for (const f of taken)
    await db.query(
      `insert into happenings (person_id, name, at, source, data, record, handled_at) values ($1, 'field_changed', $2, $3, $4, 0, $2)`,
      [a.id, at, by, JSON.stringify({ field: f.name, from: f.a, to: f.b, by })]
    );
  // An address is nobody else's: whoever has it goes first.
  await db.query('delete from people where id = $1', [b.id]);
  const columns = taken.filter((f) => (PERSON_COLUMNS as readonly string[]).includes(f.name));
  const rest = Object.fromEntries(taken.filter((f) => !columns.includes(f)).map((f) => [f.name, f.b]));
  await db.query(
    `update people set ${columns.map((f, i) => `${f.name} = $${i + 5}, `).join('')} fields = fields || $2, updated_at = $3,
       created_at = least(created_at, $4) where id = $1`,
    [a.id, JSON.stringify(rest), at, ts(b.since), ...columns.map((f) => f.b)]
  );
  if (others.length)
    await db.query(
      `insert into other_addresses (address, person_id, channel, since)
       select address, $1::bigint, channel, $4::timestamptz from unnest($2::text[], $3::text[]) as t (address, channel)
       on conflict (address) do update set person_id = excluded.person_id`,
      [a.id, others.map(([address]) => address), others.map(([, channel]) => channel), at]
    );
  return { email: whose('email'), sms: whose('phone') };
}

async function joinConsents(
  db: Db,
  { a, b, consents }: Comparison,
  mains: Record<Channel, Which>,
  at: string
): Promise<void> {
  for (const { channel, a: before, becomes } of consents) {
    const state: ConsentState | null = becomes[mains[channel]];
    if (state === before) continue;
    if (state === null) {
      await db.query('delete from consents where person_id = $1 and channel = $2', [a.id, channel]);
      continue;
    }
    const from = b.consents[channel];
    await db.query(
      `insert into consents (person_id, channel, state, at, source) values ($1, $2, $3, $4, $5)
       on conflict (person_id, channel) do update set state = excluded.state, at = excluded.at, source = excluded.source, wording = null`,
      [
        a.id,
        channel,
        state,
        from?.state === state ? ts(from.at) : at,
        `${from?.state === state ? from.source : 'the stricter of two'} (made one with ${b.name})`.slice(0, 300)
      ]
    );
  }
}

/** Nobody walks twice where one walks once: the later walk ends, and what of it has not gone out does not. */
async function endDoubleWalks(
  db: Db,
  { b, ends }: Comparison,
  kept: number,
  walks: number,
  at: string,
  by: string
): Promise<void> {
  for (const end of ends) {
    const walk = end.walk + (end.whose === 'b' ? walks : 0);
    await db.query(
      `insert into happenings (person_id, name, at, source, source_id, data) values ($1, 'end', $2, $3, $4, $5)`,
      [kept, at, by, `merged ${b.id}, walk ${walk}`, JSON.stringify({ journey: end.key, walk })]
    );
    await db.query(
      `update messages set state = 'failed', error = 'not sent: they are in this journey already, under another address'
       where person_id = $1 and walk_id = $2 and state = 'queued' and attempts = 0`,
      [kept, walk]
    );
  }
}
