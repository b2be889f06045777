/** What is on record of people that models and ladders go by, in order: what their points and rungs are worked out from. */
import { GIVEN_POINTS } from '../../core/person/happening.ts';
import type { Past } from '../../core/engagement/rebuild.ts';
import type { Db } from '../db/pool.ts';
import { bounded, MOST_PAST, rowsOf, TooMuchPast, type Most } from './bounds.ts';
import { happeningOf, sentAsHappening, sentOf, type HappeningRow, type SentRow } from './load-rows.ts';
import type { PlanBook } from './plans.ts';

interface ScoredRow {
  person_id: number;
  at: number;
  record: number;
  journey_id: number;
  version: number;
  step: string;
  detail: { score?: string; points?: number };
}

/** What is on record of people, in as many parts as it takes. */
export async function* pastInParts(
  db: Db,
  people: readonly number[],
  names: ReadonlySet<string>,
  plans: PlanBook,
  most: Most = MOST_PAST
): AsyncGenerator<Map<number, Past[]>> {
  try {
    yield await loadPast(db, people, names, plans, { most });
    return;
  } catch (error) {
    if (!(error instanceof TooMuchPast)) throw error;
  }
  const middle = Math.ceil(people.length / 2);
  yield* pastInParts(db, people.slice(0, middle), names, plans, most);
  yield* pastInParts(db, people.slice(middle), names, plans, most);
}

/**
 * By person. `names`: of the happenings that are asked about; `before`: only what has a lower place.
 * @throws {TooMuchPast} never of one person alone: of whom there is more, the latest is read.
 */
export async function loadPast(
  db: Db,
  people: readonly number[],
  names: ReadonlySet<string>,
  plans: PlanBook,
  { before = Number.MAX_SAFE_INTEGER, most = MOST_PAST }: { before?: number; most?: Most } = {}
): Promise<Map<number, Past[]>> {
  const together = rowsOf(people.length, most);
  const within = <T>(rows: T[]): T[] => bounded(rows, people.length, most);
  const found = new Map<number, { place: number; past: Past }[]>(people.map((id) => [id, []]));
  const put = (person: number, place: number, past: Past): void => void found.get(person)?.push({ place, past });
  const happenings = await db.query<HappeningRow & { worked: number }>({
    name: 'load-past',
    text: `
      select h.person_id, h.id, h.name, h.at, h.walk_id, h.journey_id, h.step, h.record, h.data, h.handled_at as worked
      from unnest($1::bigint[]) as p (id)
      -- What was brought from elsewhere (place 0) only described how things were.
      cross join lateral (
        select * from happenings h where h.person_id = p.id and h.record > 0 and h.record < $3 and h.handled_at is not null
          and h.name = any($2::text[])
        order by h.id desc limit $4
      ) h
      limit $5`,
    values: [people, [...names, GIVEN_POINTS], before, most.one, together]
  });
  await plans.name(
    db,
    happenings.rows.flatMap((r) => r.journey_id ?? [])
  );
  for (const r of within(happenings.rows)) {
    const { score, points } = r.data;
    if (r.name === GIVEN_POINTS)
      put(r.person_id, r.record ?? 0, { at: r.worked, score: String(score), change: { add: Number(points) } });
    else put(r.person_id, (r.record ?? 0) + 0.5, { at: r.worked, happening: happeningOf(r, plans) });
  }
  if (names.has('sent')) {
    const { rows } = await db.query<SentRow>({
      name: 'load-past-sent',
      text: `select m.person_id, m.walk_id, m.journey_id, m.step, m.visit, m.channel, m.address, m.created_at, m.record, m.service
        from unnest($1::bigint[]) as p (id)
        cross join lateral (
          select * from messages m where m.person_id = p.id and m.record < $2 order by m.id desc limit $3
        ) m
        limit $4`,
      values: [people, before, most.one, together]
    });
    await plans.name(
      db,
      rows.map((r) => r.journey_id)
    );
    for (const r of within(rows))
      put(r.person_id, r.record + 0.5, { at: r.created_at, happening: sentAsHappening(sentOf(r, plans)) });
  }
  const scored = await db.query<ScoredRow>({
    name: 'load-past-scored',
    text: `
      select t.person_id, t.at, t.record, t.journey_id, t.version, t.step, t.detail
      from unnest($1::bigint[]) as p (id)
      cross join lateral (
        select * from trail t where t.person_id = p.id and t.what = 'scored' and t.step is not null and t.record < $2
        order by t.id desc limit $3
      ) t
      limit $4`,
    values: [people, before, most.one, together]
  });
  await plans.ensure(db, scored.rows);
  // What a step gave is written down just before what it set off.
  for (const r of within(scored.rows)) {
    const step = plans.found(r.journey_id, r.version)?.byKey.get(r.step)?.step;
    const change =
      step?.kind === 'score' && step.add !== undefined
        ? { add: step.add }
        : { set: (step?.kind === 'score' ? step.set : undefined) ?? r.detail.points ?? 0 };
    if (r.detail.score !== undefined) put(r.person_id, r.record, { at: r.at, score: r.detail.score, change });
  }
  return new Map(
    [...found].map(([person, all]) => [person, all.sort((a, b) => a.place - b.place).map(({ past }) => past)])
  );
}
