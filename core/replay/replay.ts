/**
 * The replay: takes people and happenings through journeys on virtual time and
 * gives the trail. Rules: docs/journey-language.md, "Replay".
 */
import { compile, type JourneyPlan } from '../journey/compile.ts';
import type { Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import type { Agenda } from '../person/agenda.ts';
import type { Recorder, TrailLine, World } from '../person/world.ts';
import type { PersonState } from '../person/state.ts';
import type { Settings } from '../settings/schema.ts';
import { compileSettings } from '../settings/workspace.ts';
import { instantText } from '../time/instant.ts';
import type { FieldType } from '../person/values.ts';
import { MemoryDraws } from '../walk/draws.ts';
import type { TimedInput } from './happenings.ts';
import { beginLife, courseOf } from './life.ts';
import { Heap } from './heap.ts';

/** People one after another, in their order, so that not all have to be there at once. */
export interface PeopleSource {
  each(take: (person: PersonState, place: number) => void): void;
}

export interface Replay {
  /** In their order, which decides who enters first. */
  journeys: Journey[];
  settings?: Settings | null;
  /** Types of fields that the people's file declares. */
  types?: ReadonlyMap<string, FieldType>;
  /** As things stood before everything; changed in place. */
  people: PersonState[] | PeopleSource;
  /** In order of their instants. */
  inputs: TimedInput[];
  /** When the journeys go live, UTC ms. */
  from: number;
  /** Included, UTC ms. */
  until: number;
}

/** Takes lines of the trail. They come person by person or instant by instant: sorted by instant, stably, they are in order. */
export type Sink = (line: TrailLine, place: number) => void;

/** A printed line: person and journey named, instants as text, keys in their order. */
export type PrintedLine = Record<string, unknown> & { at: string; person: string };

/** The world of a replay: all journeys live, everything in memory. */
export function replayWorld(
  journeys: readonly Journey[],
  settings: Settings | null = null,
  types: ReadonlyMap<string, FieldType> = new Map()
): World {
  const workspace = compileSettings(settings);
  for (const [field, type] of types) if (!workspace.types.has(field)) workspace.types.set(field, type);
  const plans = journeys.map((j) => compile(j));
  const byKey = new Map(plans.map((p) => [p.key, p]));
  const suppressed = new Set<string>();
  const draws = new Map<string, MemoryDraws>();
  return {
    plans,
    planOf: (walk) => planOf(byKey, walk.journey),
    workspace,
    paused: new Map<string, JourneyPlan>(),
    asks: new Set<string>([...workspace.asks, ...plans.flatMap((p) => [...p.facts.did])]),
    suppressed: (address) => suppressed.size > 0 && suppressed.has(address.toLowerCase()),
    suppress: (address) => void suppressed.add(address.toLowerCase()),
    draws(plan, split) {
      const key = `${plan.key}\n${split}`;
      let found = draws.get(key);
      if (!found) draws.set(key, (found = new MemoryDraws()));
      return found;
    }
  };
}

function planOf(plans: Map<string, JourneyPlan>, key: string): JourneyPlan {
  const plan = plans.get(key);
  if (!plan) throw new Error(`no plan of the journey ${key}`);
  return plan;
}

type Life = Agenda<TimedInput>;

/** People share only a split's winner and an address that bounced: without either, each life is lived by itself. */
function shares(journeys: readonly Journey[], inputs: readonly TimedInput[]): boolean {
  return (
    journeys.some((j) => eachStep(j).some(({ step }) => step.kind === 'split' && step.winner !== undefined)) ||
    inputs.some(({ input }) => input.kind === 'happening' && input.happening.name === 'bounced' && input.happening.hard)
  );
}

const NOTHING: readonly TimedInput[] = [];

/** Replays, and gives every line to `sink`. */
export function replayInto(replay: Replay, sink: Sink): void {
  const { journeys, settings, types, people, inputs, from, until } = replay;
  const world = replayWorld(journeys, settings, types);
  const start = Math.min(from, inputs[0]?.at ?? from);
  const course = courseOf(world, from, until);
  const byPerson = new Map<string, TimedInput[]>();
  for (const input of inputs) {
    if (input.at > until) continue;
    const own = byPerson.get(input.person);
    if (own) own.push(input);
    else byPerson.set(input.person, [input]);
  }
  const source: PeopleSource = Array.isArray(people) ? { each: (take) => people.forEach(take) } : people;
  const live = (person: PersonState, place: number): Life => {
    const own = byPerson.get(person.id) ?? NOTHING;
    byPerson.delete(person.id);
    return beginLife(course, start, person, own, recorderFor(place, sink));
  };
  if (shares(journeys, inputs)) together(source, live);
  else source.each((person, place) => void live(person, place).workOff());
}

/** All lives side by side, instant by instant and, within one, in order of the people. */
function together(source: PeopleSource, live: (person: PersonState, place: number) => Life): void {
  const lives: Life[] = [];
  source.each((person, place) => void (lives[place] = live(person, place)));
  const heap = new Heap();
  lives.forEach((life, place) => heap.push(life.next(), place));
  for (let next = heap.pop(); next; next = heap.pop()) {
    if (next.at === Infinity) return;
    const life = lives[next.place];
    if (!life) continue;
    life.work(next.at);
    heap.push(life.next(), next.place);
  }
}

const recorderFor = (place: number, sink: Sink): Recorder => ({
  trail: (line) => sink(line, place),
  walk() {},
  happening() {},
  message() {},
  errand() {},
  change() {}
});

/** Replays; lines come in order of instant, then of the person's place, then of that person's own order. */
export function replay(options: Replay & { people: PersonState[] }): PrintedLine[] {
  const { people } = options;
  const lines: { at: number; place: number; line: PrintedLine }[] = [];
  replayInto(options, (line, place) => {
    lines.push({ at: line.at, place, line: printed(line, people[place]?.id ?? '') });
  });
  return lines.sort((a, b) => a.at - b.at || a.place - b.place).map((l) => l.line);
}

function printed(line: TrailLine, person: string): PrintedLine {
  return { at: instantText(line.at), person, journey: line.journey, step: line.step, what: line.what, ...line.detail };
}
