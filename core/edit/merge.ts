/**
 * Two editions of a draft that were made from one, brought together: what only one side changed is as that side has it. Where
 * both changed the same thing ours stays, and is said. Steps are told apart by their keys, so what is merged is what somebody
 * did to a step, to the rules of the journey, or to where a step stands.
 */
import { produce } from 'immer';
import type { Path } from '../journey/problems.ts';
import type { Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { kindOf, lanesOf, type Step } from '../steps/index.ts';
import { copiesOf, laneAt } from './edit.ts';
import { repoint } from './repoint.ts';

export interface Merged {
  document: Journey;
  /** What both changed, in words: ours was kept. */
  both: string[];
}

/** A step by itself: what it says, without the steps on its lanes. */
const shell = (step: Step): string =>
  JSON.stringify(step, (key, value: unknown) => (key === 'lane' ? undefined : value));
const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

interface Placed {
  step: Step;
  /** Which lane it stands on: `''` for the first, else the key of the step that opens it and where inside. */
  lane: string;
}
interface Side {
  steps: Map<string, Placed>;
  /** Keys of each lane, in their order. */
  lanes: Map<string, string[]>;
}

const laneOf = (opener: string, path: Path): string => `${opener}/${path.join('.')}`;

function sideOf(document: Journey): Side {
  const side: Side = { steps: new Map(), lanes: new Map() };
  const visit = (lane: Step[], id: string): void => {
    side.lanes.set(
      id,
      lane.map((s) => s.key)
    );
    for (const step of lane) {
      side.steps.set(step.key, { step, lane: id });
      for (const opened of lanesOf(step)) visit(opened.steps, laneOf(step.key, opened.path));
    }
  };
  visit(document.lane, '');
  return side;
}

const title = (step: Step): string => `${step.kind} “${kindOf(step).card(step).title}”`;

/** Brings `theirs` into `ours`, both made from `base`. */
export function mergeJourneys(base: Journey, given: Journey, theirs: Journey): Merged {
  const both: string[] = [];
  const ours = withOwnKeys(base, given, theirs);
  const [b, m, t] = [sideOf(base), sideOf(ours), sideOf(theirs)];
  /** One of three: what one side changed; ours where both did, and that is said. */
  const choose = <T>(was: T, our: T, their: T, what: () => string): T => {
    if (same(was, our)) return their;
    if (!same(was, their) && !same(our, their)) both.push(what());
    return our;
  };

  const keys = new Set([...m.steps.keys(), ...t.steps.keys()]);
  const merged = new Map<string, { step: Step; lane: string }>();
  for (const key of keys) {
    const [was, our, their] = [b.steps.get(key), m.steps.get(key), t.steps.get(key)];
    if (!our || !their) {
      const left = our ?? their;
      if (!left) continue;
      // Gone on one side: it stays where the other side has changed it meanwhile, and where it is new.
      if (was && shell(left.step) === shell(was.step) && !holdsNews(left.step, b)) continue;
      if (was)
        both.push(
          `${title(left.step)}: deleted ${our ? 'by them' : 'by you'}, changed ${our ? 'by you' : 'by them'}; it stays`
        );
      merged.set(key, left);
      continue;
    }
    const step = mergeStep(was?.step, our.step, their.step, both);
    merged.set(key, {
      step,
      lane: choose(was?.lane, our.lane, their.lane, () => `where ${title(our.step)} stands`) ?? ''
    });
  }

  const lanes = new Map<string, Step[]>();
  const order = (id: string): string[] => orderOf(id, b, m, t, merged);
  const build = (step: Step): Step =>
    produce(step, (draft) => {
      for (const opened of lanesOf(draft as Step)) {
        const lane = laneIn(draft as Step, opened.path);
        if (lane) lane.splice(0, lane.length, ...take(laneOf(step.key, opened.path)));
      }
    });
  const used = new Set<string>();
  const take = (id: string): Step[] => {
    const found = order(id).flatMap((key) => {
      const at = merged.get(key);
      if (!at || used.has(key)) return [];
      used.add(key);
      return [build(at.step)];
    });
    lanes.set(id, found);
    return found;
  };
  const lane = take('');
  // What stood on a lane that is gone, or moved into each other on both sides, comes to the end rather than nowhere.
  const lost = [...merged.keys()].filter((key) => !used.has(key));
  for (const key of lost) {
    const at = merged.get(key);
    if (!at || used.has(key)) continue;
    used.add(key);
    both.push(`${title(at.step)} stood on a lane that is gone; it is at the end now`);
    lane.push(build(at.step));
  }
  return { document: { ...mergeRules(base, ours, theirs, choose), lane }, both };
}

/** A step that both sides have: property by property, so that a subject and a name changed by two people both stay. */
function mergeStep(was: Step | undefined, ours: Step, theirs: Step, both: string[]): Step {
  if (!was || shell(ours) === shell(was)) return theirs;
  if (shell(theirs) === shell(was) || shell(theirs) === shell(ours)) return ours;
  const at = (step: Step, key: string): string =>
    JSON.stringify(Reflect.get(step, key), (k, v: unknown) => (k === 'lane' ? undefined : v)) ?? '';
  const names = new Set([...Object.keys(ours), ...Object.keys(theirs)]);
  const made: Record<string, unknown> = { ...ours };
  const differ: string[] = [];
  for (const name of names) {
    const [w, o, t] = [at(was, name), at(ours, name), at(theirs, name)];
    if (o === t || w === t) continue;
    if (w !== o) differ.push(name);
    else if (Reflect.get(theirs, name) === undefined) Reflect.deleteProperty(made, name);
    else Reflect.set(made, name, Reflect.get(theirs, name));
  }
  if (differ.length) both.push(`${title(ours)}: ${differ.join(', ')}`);
  return made as unknown as Step;
}

const RULES = ['name', 'purpose', 'labels', 'zone', 'entry', 'hours', 'goal', 'leaveWhen', 'idle', 'notes'] as const;
const RULE_WORDS: Record<(typeof RULES)[number], string> = {
  name: 'the name',
  purpose: 'the purpose',
  labels: 'the labels',
  zone: 'the zone',
  entry: 'how people get in',
  hours: 'the sending hours',
  goal: 'the goal',
  leaveWhen: 'the leaving rules',
  idle: 'the idle limit',
  notes: 'the notes'
};

function mergeRules(
  base: Journey,
  ours: Journey,
  theirs: Journey,
  choose: <T>(was: T, our: T, their: T, what: () => string) => T
): Journey {
  const made: Record<string, unknown> = { ...ours };
  for (const key of RULES) {
    const value: unknown = choose<unknown>(base[key], ours[key], theirs[key], () => RULE_WORDS[key]);
    if (value === undefined) Reflect.deleteProperty(made, key);
    else made[key] = value;
  }
  return made as unknown as Journey;
}

/** Whether a step holds, on lanes of its own, any that was not there before or has changed. */
const holdsNews = (step: Step, base: Side): boolean =>
  eachStep({ lane: [step] }).some(({ step: s }) => {
    const was = base.steps.get(s.key);
    return !was || shell(was.step) !== shell(s);
  });

/** The order of a lane: of the side that changed it, with what only the other put there behind what it stood behind. */
function orderOf(id: string, b: Side, m: Side, t: Side, merged: ReadonlyMap<string, { lane: string }>): string[] {
  const here = (key: string): boolean => merged.get(key)?.lane === id;
  const [was, our, their] = [b, m, t].map((s) => (s.lanes.get(id) ?? []).filter(here));
  const common = (list: string[] = []): string =>
    list.filter((k) => was?.includes(k) && our?.includes(k) && their?.includes(k)).join(' ');
  const [first, second] = common(our) === common(was) ? [their ?? [], our ?? []] : [our ?? [], their ?? []];
  const result = [...first];
  second.forEach((key, i) => {
    if (result.includes(key)) return;
    const behind = second
      .slice(0, i)
      .reverse()
      .find((k) => result.includes(k));
    result.splice(behind === undefined ? 0 : result.indexOf(behind) + 1, 0, key);
  });
  // What was moved here from another lane by one side, while the other side still has it there.
  for (const key of merged.keys()) if (here(key) && !result.includes(key)) result.push(key);
  return result;
}

function laneIn(step: Step, path: Path): Step[] | undefined {
  return laneAt(step as unknown as Journey, [...path, 'lane']);
}

/** Ours, with new keys for what both sides made under one name. */
function withOwnKeys(base: Journey, ours: Journey, theirs: Journey): Journey {
  const old = new Set(eachStep(base).map((s) => s.step.key));
  const made = new Map(eachStep(theirs).map((s) => [s.step.key, s.step]));
  const clashes = eachStep(ours).filter(({ step }) => {
    const other = made.get(step.key);
    return other && !old.has(step.key) && shell(other) !== shell(step);
  });
  if (!clashes.length) return ours;
  // Fresh for both editions: keys are looked for in a document that has the steps of the two.
  const all = { ...ours, lane: [...ours.lane, ...theirs.lane] };
  const clash = new Set(clashes.map((c) => c.step.key));
  const renamed = copiesOf(all, ours.lane);
  const pairs = new Map(
    eachStep({ lane: ours.lane }).map((s, i) => [s.step.key, eachStep({ lane: renamed })[i]?.step.key ?? s.step.key])
  );
  const keys = new Map([...pairs].filter(([key]) => clash.has(key)));
  return { ...ours, lane: ours.lane.map((step) => repoint(step, keys)) };
}
