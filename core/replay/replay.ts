/**
 * The replay: takes people and happenings through journeys on virtual time and
 * gives the trail. Rules: docs/journey-language.md, "Replay".
 */
import { compile, type Plan } from '../journey/compile.ts';
import type { Journey } from '../journey/schema.ts';
import { nextDue, PersonRun, type Recorder, type TrailLine, type World } from '../person/run.ts';
import type { PersonState } from '../person/state.ts';
import { instantText } from '../time/instant.ts';
import type { TimedInput } from './happenings.ts';

export interface Replay {
  /** In their order, which decides who enters first. */
  journeys: Journey[];
  /** As things stood before everything; changed in place. */
  people: PersonState[];
  /** In order of their instants. */
  inputs: TimedInput[];
  /** When the journeys go live, UTC ms. */
  from: number;
  /** Included, UTC ms. */
  until: number;
}

/** A printed line: person and journey named, instants as text, keys in their order. */
export type PrintedLine = Record<string, unknown> & { at: string; person: string };

/** Replays; lines come in order of instant, then of the person's place, then of that person's own order. */
export function replay({ journeys, people, inputs, from, until }: Replay): PrintedLine[] {
  const plans = journeys.map((j) => compile(j));
  const byKey = new Map(plans.map((p) => [p.key, p]));
  const suppressed = new Set<string>();
  const world: World = {
    plans,
    planOf: (walk) => planOf(byKey, walk.journey),
    zone: 'UTC',
    suppressed: (address) => suppressed.has(address.toLowerCase()),
    suppress: (address) => void suppressed.add(address.toLowerCase())
  };
  const byPerson = new Map<string, TimedInput[]>();
  for (const input of inputs) {
    if (input.at > until) continue;
    const own = byPerson.get(input.person);
    if (own) own.push(input);
    else byPerson.set(input.person, [input]);
  }
  const lines: { at: number; place: number; line: PrintedLine }[] = [];
  people.forEach((person, place) => {
    for (const line of replayPerson(world, person, byPerson.get(person.id) ?? [], from, until)) {
      lines.push({ at: line.at, place, line: printed(line, person.id) });
    }
  });
  return lines.sort((a, b) => a.at - b.at || a.place - b.place).map((l) => l.line);
}

function planOf(plans: Map<string, Plan>, key: string): Plan {
  const plan = plans.get(key);
  if (!plan) throw new Error(`no plan of the journey ${key}`);
  return plan;
}

function replayPerson(
  world: World,
  person: PersonState,
  inputs: TimedInput[],
  from: number,
  until: number
): TrailLine[] {
  const lines: TrailLine[] = [];
  const recorder: Recorder = {
    trail: (line) => lines.push(line),
    walk() {},
    happening() {},
    message() {},
    change() {}
  };
  const run = (at: number): PersonRun => new PersonRun(world, person, at, recorder, at >= from);
  const queue = [...inputs];
  let begun = false;
  for (;;) {
    const input = queue[0]?.at ?? Infinity;
    const due = nextDue(person) ?? Infinity;
    const at = Math.min(input, due, begun ? Infinity : from);
    if (at > until || at === Infinity) return lines;
    if (at === from && !begun) {
      begun = true;
      for (const plan of world.plans) {
        if (plan.document.entry?.existing) run(at).input({ kind: 'existing', journey: plan.key });
      }
      continue;
    }
    if (input <= due) {
      const next = queue.shift();
      if (next) run(at).input(withMessage(next, person));
    } else run(at).timers();
  }
}

/** Finds the message that a happening names by its step: the latest one sent from it. */
function withMessage(timed: TimedInput, person: PersonState): TimedInput['input'] {
  const { input, of } = timed;
  if (input.kind !== 'happening' || !of) return input;
  const m = person.sent.findLast((s) => s.step === of.step && (of.journey === undefined || s.journey === of.journey));
  // What names a message that was never sent is recorded, and is about none.
  const channel = input.happening.channel ?? m?.channel;
  const about = m
    ? { walk: m.walk, journey: m.journey, step: m.step }
    : { walk: 0, journey: of.journey ?? '', step: of.step };
  return { kind: 'happening', happening: { ...input.happening, about, ...(channel ? { channel } : {}) } };
}

function printed(line: TrailLine, person: string): PrintedLine {
  return { at: instantText(line.at), person, journey: line.journey, step: line.step, what: line.what, ...line.detail };
}
