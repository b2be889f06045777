/**
 * What goes out next. The engine itself is asked: those with something due are
 * taken ahead in memory, nothing is written. True as long as nobody reacts in between.
 */
import { Agenda } from '../../core/person/agenda.ts';
import type { Recorder, World } from '../../core/person/world.ts';
import type { Channel } from '../../core/person/values.ts';
import { readClock } from '../workspace/clock.ts';
import { ts, type Pool } from '../db/pool.ts';
import { DrawsBook } from '../engine/draws.ts';
import { loadPeople } from '../engine/load.ts';
import { liveWorld } from '../engine/world.ts';
import { PlanBook } from '../engine/plans.ts';

export interface AheadMessage {
  /** UTC ms. */
  at: number;
  channel: Channel;
  journey: string;
  step: string;
  person: number;
}

export interface Ahead {
  messages: AheadMessage[];
  /** People with something due who were not taken ahead, because there are so many. */
  notCounted: number;
}

const plans = new PlanBook();
/** More than this are not taken ahead for a page; the page says so. */
const MOST_PEOPLE = 20_000;
const PART = 1000;

/** Looking ahead for longer than this is done at most a tenth of the time, whatever changes meanwhile. */
const SLOW_MS = 300;

let kept: { key: string; ahead: Ahead; until: number } | null = null;

/** Messages that go out from now until `hours` from now, by the plan as it stands. */
export async function messagesAhead(pool: Pool, hours = 24): Promise<Ahead> {
  const { now } = await readClock(pool);
  const until = now + hours * 3_600_000;
  // Whatever happens is recorded, and takes a number; which numbers were given is known without looking at any row.
  const change = await pool.query<{ happenings: number; messages: number; acts: number | null }>({
    name: 'what-was-recorded',
    text: `
      select (select last_value from happenings_id_seq) as happenings, (select last_value from messages_id_seq) as messages,
        (select max(id) from acts) as acts`
  });
  // The same instant and the same last record: the same answer. One that took long is not looked for again at once.
  const key = JSON.stringify([Math.floor(now / 60_000), hours, change.rows[0]]);
  if (kept && (kept.key === key || Date.now() < kept.until)) return kept.ahead;
  const began = Date.now();

  const due = await pool.query<{ person_id: number; total: number }>(
    `select person_id, count(*) over () as total
     from agenda
     where next_at <= $1
     order by person_id
     limit $2`,
    [ts(until), MOST_PEOPLE]
  );
  const total = due.rows[0]?.total ?? 0;
  const ids = due.rows.map((r) => r.person_id);
  const messages: AheadMessage[] = [];
  const queued = await pool.query<{ at: number; channel: Channel; journey: string; step: string; person: number }>(
    `select greatest(m.try_at, $1) as at, m.channel, j.key as journey, m.step, m.person_id as person
     from messages m join journeys j on j.id = m.journey_id
     where m.state in ('queued', 'sending') and m.try_at <= $2 and j.state <> 'paused'`,
    [ts(now), ts(until)]
  );
  messages.push(...queued.rows);
  await plans.live(pool);
  const paused = await plans.paused(pool);
  const { workspace } = await plans.settings.read(pool);
  for (let i = 0; i < ids.length; i += PART) {
    const loaded = await loadPeople(pool, ids.slice(i, i + PART), now, plans, [], workspace);
    const splits = plans.winnerSplits(loaded.people.flatMap((p) => p.walks.flatMap((w) => plans.followed(w))));
    const draws = await DrawsBook.read(pool, plans, splits, 'all');
    // Nobody new comes in by what is only foreseen, and nothing that is foreseen suppresses an address.
    const world: World = {
      ...liveWorld({ entering: [], plans, paused, loaded, workspace, draws: draws.of }),
      suppress: () => undefined
    };
    for (const { id, state } of loaded.people) {
      const recorder: Recorder = {
        walk: () => undefined,
        trail: () => undefined,
        happening: () => undefined,
        change: () => undefined,
        errand: () => undefined,
        message: (m) =>
          void messages.push({ at: m.at, channel: m.channel, journey: m.journey, step: m.step, person: id })
      };
      const course = { world, from: -Infinity, until, dated: [], present: now };
      new Agenda(course, state, { worked: now, midnight: Infinity, existing: [] }, [], recorder).workOff();
    }
  }
  const ahead = {
    messages: messages.filter((m) => m.at <= until).sort((a, b) => a.at - b.at),
    notCounted: Math.max(0, total - MOST_PEOPLE)
  };
  const took = Date.now() - began;
  kept = { key, ahead, until: took > SLOW_MS ? began + took * 10 : 0 };
  return ahead;
}
