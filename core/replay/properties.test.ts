/** Properties of the replay, over random journeys of the whole language. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { anyInputs, anyJourneys, anyPeople, anySettings, BEGIN, FINISH } from '../../tests/language.ts';
import { checkJourney } from '../journey/parse.ts';
import type { Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { readThrough } from '../tell/read-through.ts';
import { compile } from '../journey/compile.ts';
import { layoutSheet } from '../sheet/layout.ts';
import type { Settings } from '../settings/schema.ts';
import { lookAhead } from '../journey/ahead.ts';
import type { PersonState } from '../person/state.ts';
import type { TimedInput } from './happenings.ts';
import { keepHappening, keepState, restoreHappening, restoreState } from '../person/kept.ts';
import { keepWalk, restoreWalk } from '../walk/kept.ts';
import { beginLife, courseOf, goOnLife } from './life.ts';
import { Lines } from './lines.ts';
import { Heap } from './heap.ts';
import { replay, replayInto, replayWorld, type PrintedLine } from './replay.ts';

const cases = fc.tuple(anyJourneys, anySettings, anyInputs);
const sorted = (inputs: TimedInput[]): TimedInput[] => [...inputs].sort((a, b) => a.at - b.at || a.line - b.line);
const trail = (
  journeys: Journey[],
  settings: Settings,
  inputs: TimedInput[],
  people: PersonState[] = anyPeople(),
  until = FINISH
): PrintedLine[] => replay({ journeys, settings, people, inputs: sorted(inputs), from: BEGIN, until });
const text = (lines: PrintedLine[]): string => lines.map((l) => JSON.stringify(l)).join('\n');

/** The same person, after everything was written as JSON and read again. */
function saved(person: PersonState): PersonState {
  const kept = JSON.stringify(keepState(person));
  const back = restoreState(person.id, JSON.parse(kept) as ReturnType<typeof keepState>);
  const again = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;
  return Object.assign(back, {
    fields: new Map(again([...person.fields])),
    tags: new Set(person.tags),
    lists: new Set(person.lists),
    segments: new Set(person.segments),
    consent: again(person.consent),
    scores: new Map(again([...person.scores])),
    walks: person.walks.map((walk) => {
      const { columns, more } = again(keepWalk(walk));
      expect(JSON.stringify(more).length).toBeLessThan(1024);
      const standing = columns.standing && { kind: columns.standing.kind, until: columns.standing.until };
      return restoreWalk({ ...columns, standing }, more);
    }),
    sent: again(person.sent),
    reactions: person.reactions.map((h) => restoreHappening(again(keepHappening(h)))),
    record: person.record.map((h) => restoreHappening(again(keepHappening(h))))
  });
}

describe('a replay', { timeout: 60_000 }, () => {
  it('is the same byte for byte whenever it is run, and takes its journeys and settings unchanged', () => {
    fc.assert(
      fc.property(cases, ([journeys, settings, inputs]) => {
        const before = JSON.stringify([journeys, settings, inputs]);
        const first = text(trail(journeys, settings, inputs));
        expect(text(trail(journeys, settings, inputs))).toBe(first);
        expect(JSON.stringify([journeys, settings, inputs])).toBe(before);
      }),
      { numRuns: 60 }
    );
  });

  it('does not hang on the order of lines with different instants, nor on who else is there', () => {
    fc.assert(
      fc.property(cases, fc.nat(), ([journeys, settings, inputs], seed) => {
        const whole = trail(journeys, settings, inputs);
        const turned = [
          ...inputs.slice(seed % (inputs.length + 1)),
          ...inputs.slice(0, seed % (inputs.length + 1))
        ].reverse();
        expect(text(trail(journeys, settings, turned))).toBe(text(whole));
        const alone = anyPeople().filter((p) => p.id === 'p2');
        const own = inputs.filter((i) => i.person === 'p2');
        // Decay and segments are counted from the first instant of all, so that stays the same.
        const start = Math.min(BEGIN, ...inputs.map((i) => i.at));
        const first: TimedInput = { at: start, person: 'p2', line: 0, input: { kind: 'set' } };
        expect(text(trail(journeys, settings, [first, ...own], alone))).toBe(
          text(whole.filter((l) => l.person === 'p2'))
        );
      }),
      { numRuns: 60 }
    );
  });

  it('ended at any instant is the beginning of the whole', () => {
    fc.assert(
      fc.property(cases, fc.integer({ min: 0, max: 40 * 24 }), ([journeys, settings, inputs], hours) => {
        const until = BEGIN + hours * 3_600_000;
        const whole = trail(journeys, settings, inputs);
        const part = trail(journeys, settings, inputs, anyPeople(), until);
        expect(text(part)).toBe(text(whole.filter((l) => Date.parse(l.at) <= until)));
      }),
      { numRuns: 60 }
    );
  });

  it('cut in two at any instant and continued from what is kept is the whole', () => {
    fc.assert(
      fc.property(cases, ([journeys, settings, inputs]) => {
        const world = replayWorld(journeys, settings);
        const start = Math.min(BEGIN, ...inputs.map((i) => i.at));
        const lines: string[] = [];
        anyPeople().forEach((person) => {
          const own = sorted(inputs).filter((i) => i.person === person.id);
          const recorder = {
            trail: (line: object) => void lines.push(JSON.stringify(line)),
            walk() {},
            happening() {},
            message() {},
            errand() {},
            change() {}
          };
          let life = beginLife(courseOf(world, BEGIN, FINISH), start, person, own, recorder);
          // At every instant all that is kept of a person goes through JSON, as it does through a database.
          for (let at = life.next(), done = 0; at !== Infinity; at = life.next()) {
            life.work(at);
            const position = life.position();
            done += own.slice(done).filter((i) => i.at <= at).length;
            life = goOnLife(courseOf(world, BEGIN, FINISH), saved(life.person), position, own.slice(done), recorder);
          }
        });
        const whole: string[] = [];
        replayInto(
          { journeys, settings, people: anyPeople(), inputs: sorted(inputs), from: BEGIN, until: FINISH },
          (line) => void whole.push(JSON.stringify(line))
        );
        expect(lines.join('\n')).toBe(whole.join('\n'));
      }),
      { numRuns: 60 }
    );
  });

  it('keeps its shape: every walk enters once, ends at most once, and says nothing in between that it could not', () => {
    fc.assert(
      fc.property(cases, ([journeys, settings, inputs]) => {
        const lines = trail(journeys, settings, inputs);
        const inside = new Map<string, number>();
        let last = -Infinity;
        for (const line of lines) {
          const at = Date.parse(line.at);
          expect(at).toBeGreaterThanOrEqual(last);
          last = at;
          const key = `${line.person}/${String(line['journey'])}`;
          if (line['what'] === 'entered') inside.set(key, (inside.get(key) ?? 0) + 1);
          else if (line['what'] === 'left') inside.set(key, (inside.get(key) ?? 0) - 1);
          else if (line['what'] !== 'refused' && line['what'] !== 'reached')
            expect(inside.get(key), text([line])).toBeGreaterThan(0);
          expect(inside.get(key) ?? 0).toBeGreaterThanOrEqual(0);
          expect(Object.keys(line).slice(0, 5)).toEqual(['at', 'person', 'journey', 'step', 'what']);
        }
      }),
      { numRuns: 100 }
    );
  });

  it('sends nothing outside the settings’ hours and never more than the limits allow', () => {
    // What was held against the limits, and against the hours: with nothing to hold, nothing is shown.
    let close = 0;
    let texts = 0;
    fc.assert(
      fc.property(cases, ([journeys, settings, inputs]) => {
        const limit = settings.limits?.[0];
        if (!limit) return;
        const service = new Set(
          journeys.flatMap((j) =>
            eachStep(j).flatMap(({ step }) => ('service' in step && step.service ? [`${j.key}/${step.key}`] : []))
          )
        );
        const sent = trail(journeys, settings, inputs).filter((l) => l['what'] === 'sent');
        for (const person of ['p1', 'p2', 'p3']) {
          const counted = sent
            .filter((l) => l.person === person && !service.has(`${String(l['journey'])}/${String(l['step'])}`))
            .map((l) => Date.parse(l.at));
          // A day of daylight saving may be an hour short.
          counted.forEach((at, i) => {
            const later = counted[i + limit.atMost];
            if (later === undefined) return;
            close++;
            expect(later - at).toBeGreaterThanOrEqual(23 * 3_600_000);
          });
        }
        for (const l of sent.filter((x) => x['channel'] === 'sms' && x.person !== 'p2')) {
          const hour = Number(new Date(l.at).toLocaleString('en-GB', { timeZone: 'Europe/Dublin', hour: '2-digit' }));
          expect(hour).toBeGreaterThanOrEqual(8);
          expect(hour).toBeLessThan(20);
          texts++;
        }
      }),
      { numRuns: 100 }
    );
    expect(close).toBeGreaterThan(0);
    expect(texts).toBeGreaterThan(0);
  });
});

it('random journeys of the whole language can be read, compiled, told and drawn', () => {
  fc.assert(
    fc.property(anyJourneys, (journeys) => {
      const all = new Map(journeys.map((j) => [j.key, j]));
      for (const j of journeys) {
        expect(checkJourney(JSON.parse(JSON.stringify(j)), { journeys: all }).problems).toEqual([]);
        for (const { text: told } of readThrough(j)) expect(told).not.toMatch(/undefined|\[object|NaN/);
        const layout = layoutSheet(j.lane);
        expect(layout.cards.length).toBe(eachStep(j).filter((s) => s.step.kind !== 'wait').length);
        const plan = compile(j);
        expect(plan.ahead(plan.first)).toEqual(lookAhead(plan.instructions, plan.byKey, plan.first));
      }
    }),
    { numRuns: 200 }
  );
});

it('lines kept small come out as they went in, sorted by instant and person', () => {
  const line = fc.record({
    at: fc.integer({ min: -1e12, max: 4e12 }),
    what: fc.constantFrom('sent', 'left'),
    until: fc.option(fc.integer({ min: 0, max: 4e12 }))
  });
  fc.assert(
    fc.property(fc.array(fc.array(line, { maxLength: 8 }), { maxLength: 8 }), (people) => {
      const lines = new Lines();
      const expected: { at: number; text: string }[] = [];
      people.forEach((own, place) => {
        for (const { at, what, until } of own) {
          const detail = until === null ? {} : { until: new Date(until).toISOString() };
          lines.add({ at, walk: 1, journey: 'j', step: null, what, detail }, place);
          expected.push({
            at,
            text: JSON.stringify({
              at: new Date(at).toISOString(),
              person: `p"${place}`,
              journey: 'j',
              step: null,
              what,
              ...detail
            })
          });
        }
      });
      const ids = people.map((_, i) => `p"${i}`);
      const out = [...lines.text(ids)].join('');
      // A stable sort by instant keeps each person's own order, and people in theirs.
      expect(out).toBe(
        expected
          .sort((a, b) => a.at - b.at)
          .map((l) => `${l.text}\n`)
          .join('')
      );
      expect(lines.length).toBe(expected.length);
    }),
    { numRuns: 200 }
  );
});

it('a heap gives people by instant, then in their order', () => {
  fc.assert(
    fc.property(fc.array(fc.tuple(fc.integer({ min: 0, max: 20 }), fc.nat(30))), (list) => {
      const heap = new Heap();
      for (const [at, place] of list) heap.push(at, place);
      const out: [number, number][] = [];
      for (let next = heap.pop(); next; next = heap.pop()) out.push([next.at, next.place]);
      expect(out).toEqual([...list].sort((a, b) => a[0] - b[0] || a[1] - b[1]));
    })
  );
});
