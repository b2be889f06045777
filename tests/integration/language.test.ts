/**
 * Random journeys, settings and happenings over the whole language: the live engine gives the trail that the replay gives,
 * line for line. Limits, hours, ladders, score models with decay, segments, orders, tasks and journeys that set each other
 * off are among them.
 */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import type { Journey } from '../../core/journey/schema.ts';
import { referenceProblems } from '../../core/journey/references.ts';
import type { PersonState } from '../../core/person/state.ts';
import type { TimedInput } from '../../core/replay/happenings.ts';
import { replay } from '../../core/replay/replay.ts';
import type { Settings } from '../../core/settings/schema.ts';
import { ts } from '../../server/db/pool.ts';
import { saveSettings } from '../../server/settings/save.ts';
import { anyInputs, anyJourneys, anyPeople, anySettings, BEGIN, FINISH } from '../language.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World } from './world.ts';

/** People as the database numbers them: chance goes by their ids. */
function numbered(): PersonState[] {
  return anyPeople().map((p, i) => {
    for (const [field, value] of [
      ['email', `p${i}@example.org`],
      ['phone', `+44770090010${i}`]
    ] as const)
      if (p.fields.has(field)) p.fields.set(field, value);
    return { ...p, id: String(i + 1) };
  });
}

/** The journey with winners found at every split. */
const withWinners = (journey: Journey): Journey =>
  JSON.parse(
    JSON.stringify(journey, (_, value: unknown) =>
      value !== null && typeof value === 'object' && 'kind' in value && value.kind === 'split'
        ? { ...value, winner: { by: 'opened', after: { people: 2, wait: 'P1D' } } }
        : value
    )
  ) as Journey;

/** Puts an input into the inbox, as the intake would. */
export async function store({ pool }: World, { at, person, input, of, line }: TimedInput): Promise<void> {
  const put = (name: string, data: object): Promise<unknown> =>
    pool.query(
      `insert into happenings (person_id, name, at, source, source_id, data) values ($1, $2, $3, 'test', $4, $5)`,
      [Number(person), name, ts(at), String(line), JSON.stringify({ ...data, ...(of ? { about: of } : {}) })]
    );
  if (input.kind === 'happening') {
    const { name, at: _, ...data } = input.happening;
    await put(name, data);
  } else {
    const { kind, ...data } = input;
    await put(kind, data);
  }
}

async function runLive(journeys: Journey[], settings: Settings, inputs: TimedInput[]): Promise<object[]> {
  const world = await openWorld(Math.min(BEGIN, inputs[0]?.at ?? BEGIN));
  try {
    await addPeople(world.pool, numbered());
    const saved = await saveSettings(world.pool, settings, 'test');
    if (!saved.ok) throw new Error(saved.problems.join('\n'));
    await skipTo(world, Math.min(BEGIN, inputs[0]?.at ?? BEGIN));
    let begun = false;
    const begin = async (): Promise<void> => {
      if (begun) return;
      begun = true;
      await skipTo(world, BEGIN);
      await live(world, ...journeys);
    };
    for (const input of inputs) {
      if (input.at >= BEGIN) await begin();
      await skipTo(world, input.at);
      await store(world, input);
    }
    await begin();
    await skipTo(world, FINISH);
    const aside = await world.pool.query('select error, stack from set_aside');
    expect(aside.rows).toEqual([]);
    return await trailOf(world.pool);
  } finally {
    await world.close();
  }
}

const sorted = (inputs: TimedInput[]): TimedInput[] =>
  inputs.map((i) => ({ ...i, person: i.person.slice(1) })).sort((a, b) => a.at - b.at || a.line - b.line);

it('the whole language: engine and replay give the same trail', async () => {
  let lines = 0;
  await fc.assert(
    fc.asyncProperty(anyJourneys, anySettings, anyInputs, fc.boolean(), async (made, settings, given, winners) => {
      // An empty journey does not go live.
      const journeys = made.map((j): Journey => ({
        ...(winners ? withWinners(j) : j),
        lane: [...(winners ? withWinners(j) : j).lane, { key: 'last', kind: 'score', score: 'seen', add: 1 }]
      }));
      fc.pre(journeys.every((j) => referenceProblems(j, { settings }).length === 0));
      const inputs = sorted(given);
      const expected = replay({ journeys, settings, people: numbered(), inputs, from: BEGIN, until: FINISH });
      const trail = await runLive(journeys, settings, inputs);
      lines += trail.length;
      expect(trail).toEqual(expected);
    }),
    { numRuns: Number(process.env['RUNS'] ?? 40), seed: Number(process.env['SEED'] ?? 20270310) }
  );
  expect(lines).toBeGreaterThan(400);
}, 600_000);
