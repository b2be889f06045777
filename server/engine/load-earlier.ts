/** What was sent to people and done by them before, over all journeys: only where limits, conditions or a happening in hand ask for it. */
import type { Workspace } from '../../core/settings/workspace.ts';
import { DAY, rulerLength } from '../../core/time/duration.ts';
import { ts, type Db } from '../db/pool.ts';
import { bounded, MOST_PAST, rowsOf } from './bounds.ts';
import type { InboxItem, LoadedPerson } from './loaded.ts';
import { byRecord, happeningOf, sentAsHappening, sentOf, type HappeningRow, type SentRow } from './load-rows.ts';
import type { PlanBook } from './plans.ts';

/** What was sent and done before, over all journeys: as far back as limits look, and all of what is asked about. */
export async function loadEarlier(
  db: Db,
  people: readonly LoadedPerson[],
  { limits, asks, elsewhere }: Pick<Workspace, 'limits'> & Record<'asks' | 'elsewhere', ReadonlySet<string>>,
  now: number,
  plans: PlanBook,
  of: (id: number) => LoadedPerson
): Promise<void> {
  // A day more than the longest length, whatever the zones.
  const all =
    asks.has('sent') || elsewhere.size
      ? -Infinity
      : Math.min(...limits.map((l) => now - rulerLength(l.per) - DAY), Infinity);
  const wanted = people.map((p) => ({ id: p.id, since: Math.min(all, ...p.inbox.map((i) => messagesSince(i, now))) }));
  const some = wanted.filter((p) => p.since !== Infinity);
  if (some.length) {
    const { rows } = await db.query<SentRow>({
      name: 'load-earlier-messages',
      text: `
        select m.person_id, m.walk_id, m.journey_id, m.step, m.visit, m.channel, m.address, m.created_at, m.record, m.service
        from unnest($1::bigint[], $2::timestamptz[]) as p (id, since)
        cross join lateral (
          select * from messages m where m.person_id = p.id and m.created_at >= p.since offset 0
        ) m`,
      values: [some.map((p) => p.id), some.map((p) => (p.since === -Infinity ? '-infinity' : ts(p.since)))]
    });
    await plans.name(
      db,
      rows.map((r) => r.journey_id)
    );
    // Those of walks under way are there already.
    const known = new Map(some.map(({ id }) => [id, new Set(of(id).state.sent.map((m) => m.order))]));
    for (const r of rows) if (!known.get(r.person_id)?.has(r.record)) of(r.person_id).state.sent.push(sentOf(r, plans));
    for (const id of new Set(rows.map((r) => r.person_id))) of(id).state.sent.sort((a, b) => a.order - b.order);
  }
  const names = [...new Set([...asks, ...elsewhere])];
  if (!names.length) return;
  const { rows } = await db.query<HappeningRow>({
    name: 'load-record',
    text: `
      select h.person_id, h.id, h.name, h.at, h.walk_id, h.journey_id, h.step, h.record, h.data
      from unnest($1::bigint[]) as p (id)
      cross join lateral (
        select * from happenings h
        where h.person_id = p.id and h.record is not null and h.name = any($2::text[])
        order by h.id desc limit $3
      ) h
      limit $4`,
    values: [people.map((p) => p.id), names, MOST_PAST.one, rowsOf(people.length)]
  });
  bounded(rows, people.length).sort((a, b) => (a.record ?? 0) - (b.record ?? 0));
  await plans.name(
    db,
    rows.flatMap((r) => r.journey_id ?? [])
  );
  const reacted = new Map(people.map((p) => [p.id, new Set(p.state.reactions.map((h) => h.record))]));
  for (const r of rows) {
    const { record, reactions } = of(r.person_id).state;
    const h = happeningOf(r, plans);
    if (asks.has(h.name)) record.push(h);
    if (elsewhere.has(h.name) && h.about && !reacted.get(r.person_id)?.has(h.record)) reactions.push(h);
  }
  if (elsewhere.size) for (const { state } of people) state.reactions.sort(byRecord);
  if (!asks.has('sent')) return;
  for (const { state } of people) {
    const { record, sent } = state;
    record.push(...sent.map(sentAsHappening));
    record.sort(byRecord);
  }
}

/** How far back messages matter to whom something is about: to the latest of a step, or of a channel lately. UTC ms. */
function messagesSince({ input, of }: InboxItem, now: number): number {
  if (of) return -Infinity;
  return input.kind === 'happening' && input.happening.channel && !input.happening.about ? now - 31 * DAY : Infinity;
}
