/**
 * Random journeys, people and happenings through the live engine and the replay:
 * the trails are the same line for line, also when workers are broken off in the
 * middle of their batches, and every message is sent exactly once.
 */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import type { Journey } from '../../core/journey/schema.ts';
import { replay, type PrintedLine } from '../../core/replay/replay.ts';
import type { TimedInput } from '../../core/replay/happenings.ts';
import { settle } from '../../server/running/skip.ts';
import { setPracticeClock } from '../../server/workspace/clock.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { PlanBook } from '../../server/engine/plans.ts';
import { askChange, askEntry } from '../../server/people/inputs.ts';
import type { PersonState } from '../../core/person/state.ts';
import { newPerson } from '../../core/person/state.ts';
import { MONDAY } from '../make.ts';
import { acts, journeys, LONG, people, type Act } from '../random.ts';
import { expectFiguresTrue, expectLabelsTold } from './figures.ts';
import { addPeople, live, openWorld, react, skipTo, trailOf, type World } from './world.ts';

/** People as they were, for a second run: a run changes them in place. */
function fresh(list: PersonState[]): PersonState[] {
  return list.map((p) => ({
    ...newPerson(p.id),
    fields: new Map(p.fields),
    tags: new Set(p.tags),
    consent: { ...p.consent }
  }));
}

/** Only messages that were sent can be reacted to, so what happens is taken against a first replay. */
function possible(list: Act[], crowd: PersonState[], plans: Journey[]): { acts: Act[]; expected: PrintedLine[] } {
  const taken: Act[] = [];
  const run = (): PrintedLine[] =>
    replay({ journeys: plans, people: fresh(crowd), inputs: taken.map(inputOf), from: MONDAY, until: MONDAY + LONG });
  for (const wish of list) {
    const act = { ...wish, person: wish.person % crowd.length };
    if (['opened', 'clicked', 'unsubscribed'].includes(act.do)) {
      const sent = run().some(
        (l) =>
          l['what'] === 'sent' &&
          l['step'] === act.what &&
          l['journey'] === 'one' &&
          l.person === String(act.person + 1) &&
          Date.parse(l.at) < MONDAY + act.after
      );
      if (!sent) continue;
    }
    taken.push(act);
  }
  return { acts: taken, expected: run() };
}

function inputOf({ after, person, do: act, what }: Act, line: number): TimedInput {
  const base = { at: MONDAY + after, person: String(person + 1), line };
  switch (act) {
    case 'tag':
      return { ...base, input: { kind: 'set', addTags: [what] } };
    case 'untag':
      return { ...base, input: { kind: 'set', removeTags: [what] } };
    case 'consent':
      return { ...base, input: { kind: 'set', consent: { sms: what as 'given' } } };
    case 'enter':
      return { ...base, input: { kind: 'enter', journey: what, by: 'hand' } };
    default:
      return {
        ...base,
        of: { step: what, journey: 'one' },
        input: { kind: 'happening', happening: { name: act, at: base.at } }
      };
  }
}

async function carryOut(world: World, { person, do: act, what }: Act): Promise<void> {
  const id = person + 1;
  if (act === 'tag') await askChange(world.pool, [id], { addTags: [what] }, 'test');
  else if (act === 'untag') await askChange(world.pool, [id], { removeTags: [what] }, 'test');
  else if (act === 'consent') await askChange(world.pool, [id], { consent: { sms: what as 'given' } }, 'test');
  else if (act === 'enter') await askEntry(world.pool, [id], what, 'test');
  else await react(world, id, what, act, {}, 'one');
}

async function runLive(
  plans: Journey[],
  crowd: PersonState[],
  list: Act[],
  between: (world: World) => Promise<void> = () => Promise.resolve()
): Promise<{ trail: Record<string, unknown>[]; messages: number; mails: string[]; texts: number }> {
  const world = await openWorld();
  try {
    await addPeople(world.pool, fresh(crowd));
    for (const plan of plans) await live(world, plan);
    for (const act of list) {
      await skipTo(world, MONDAY + act.after);
      await carryOut(world, act);
      await between(world);
    }
    await skipTo(world, MONDAY + LONG);
    await expectFiguresTrue(world.pool);
    await expectLabelsTold(world.pool);
    const { rows } = await world.pool.query<{ n: number }>('select count(*) as n from messages');
    return {
      trail: await trailOf(world.pool),
      messages: rows[0]!.n,
      mails: world.postbox.mails.map((m) => m.messageId),
      texts: world.handset.texts.length
    };
  } finally {
    await world.close();
  }
}

const cases = fc.tuple(journeys, people(4), acts(8));

it('random journeys give the same trail in the engine and in the replay', async () => {
  let lines = 0;
  await fc.assert(
    fc.asyncProperty(cases, async ([plans, crowd, list]) => {
      const { acts: done, expected } = possible(list, crowd, plans);
      const { trail } = await runLive(plans, crowd, done);
      lines += trail.length;
      expect(trail).toEqual(expected);
    }),
    { numRuns: 40, seed: 20270301 }
  );
  expect(lines).toBeGreaterThan(200);
}, 300_000);

it('broken off at random moments, nothing is lost and nothing is doubled', async () => {
  let broken = 0;
  await fc.assert(
    fc.asyncProperty(
      cases,
      fc.infiniteStream(fc.integer({ min: 0, max: 12 })),
      async ([plans, crowd, list], delays) => {
        const { acts: done, expected } = possible(list, crowd, plans);
        const result = await runLive(plans, crowd, done, async (world) => {
          // A worker begins, and its connection is cut after a moment of which nobody knows where in the batch it falls.
          const work = runBatch(world.pool, new PlanBook(), 50).then(
            () => false,
            () => true
          );
          const wait = Number(delays.next().value);
          await new Promise((resolve) => setTimeout(resolve, wait));
          await world.pool
            .query(
              `select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()`
            )
            .catch(() => undefined);
          if (await work) broken++;
          // The pool hears of each connection that was cut when it next uses it; what comes then is not what is tried here.
          const all = (): Promise<boolean> =>
            Promise.all(Array.from({ length: 20 }, () => world.pool.query('select 1'))).then(
              () => true,
              () => false
            );
          while (!(await all())) await new Promise((resolve) => setTimeout(resolve, 5));
        });
        expect(result.trail).toEqual(expected);
        const sent = expected.filter((l) => l['what'] === 'sent');
        expect(result.messages).toBe(sent.length);
        expect(result.mails.length).toBe(sent.filter((l) => l['channel'] === 'email').length);
        expect(new Set(result.mails).size).toBe(result.mails.length);
        expect(result.texts).toBe(sent.filter((l) => l['channel'] === 'sms').length);
      }
    ),
    { numRuns: 10, seed: 20270302 }
  );
  expect(broken).toBeGreaterThan(0);
}, 300_000);

it('several workers at once give each person the same trail as one', async () => {
  const worked = [0, 0, 0];
  let together = 0;
  /** Three workers, each of whom takes one person after another; whoever finds none is done. */
  const three = async (world: World): Promise<void> => {
    const before = [...worked];
    await Promise.all(
      worked.map(async (_, worker) => {
        const plans = new PlanBook();
        for (let n = 1; n;) worked[worker]! += n = (await runBatch(world.pool, plans, 1)).people;
      })
    );
    if (worked.filter((n, worker) => n > before[worker]!).length > 1) together++;
  };
  await fc.assert(
    fc.asyncProperty(cases, async ([plans, crowd, list]) => {
      // Everybody does everything, all at the same instants.
      const everybody = list.flatMap((act) => crowd.map((_, person) => ({ ...act, person })));
      const { acts: done, expected } = possible(everybody, crowd, plans);
      const world = await openWorld();
      try {
        await addPeople(world.pool, fresh(crowd));
        for (const plan of plans) await live(world, plan);
        /** From due instant to due instant; at each, the three come before anybody else. */
        const goTo = async (until: number): Promise<void> => {
          for (;;) {
            await three(world);
            const next = await settle(world.engine, false);
            if (next === null || next > until) break;
            await setPracticeClock(world.pool, next);
          }
          await setPracticeClock(world.pool, until);
          await three(world);
          await settle(world.engine, false);
        };
        for (const after of new Set(done.map((act) => act.after))) {
          await goTo(MONDAY + after);
          for (const act of done.filter((d) => d.after === after)) await carryOut(world, act);
          await three(world);
        }
        await goTo(MONDAY + LONG);
        expect(await trailOf(world.pool)).toEqual(expected);
      } finally {
        await world.close();
      }
    }),
    { numRuns: 6, seed: 20270303 }
  );
  expect(Math.min(...worked)).toBeGreaterThan(10);
  expect(together).toBeGreaterThan(10);
}, 300_000);
