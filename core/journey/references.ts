/**
 * Problems the schema cannot see: two steps with one key, keys that name no
 * step, comparisons that do not fit their field, hours that never open. With a
 * context, also what other journeys, the settings and the people's file say.
 */
import { segmentCircles } from '../settings/circles.ts';
import { isOfType, typeMismatches } from '../condition/comparison.ts';
import type { FieldType } from '../person/values.ts';
import type { Filters } from '../condition/happening.ts';
import { isHappening, type Condition, type HappeningOrCondition, type Reason } from '../condition/schema.ts';
import { isMessage, kindOf, lanesOf, type Step } from '../steps/index.ts';
import { dateField, opens, type Known, type Say } from '../steps/known.ts';
import type { Settings } from '../settings/schema.ts';
import { found, type Path, type Problem } from './problems.ts';
import type { Journey } from './schema.ts';
import { eachStep, stepsOf } from './walk-document.ts';

/** What a journey is held against, as far as it is known. */
export interface Context {
  /** Every journey that was given, itself included, `null` for one that cannot be read; absent: references to other journeys are not checked. */
  journeys?: ReadonlyMap<string, Journey | null>;
  /** Types of declared fields. */
  types?: ReadonlyMap<string, FieldType>;
  /** `null`: there are none, so no segment and no ladder exists; absent: not known. */
  settings?: Settings | null;
}

/** All broken references of a journey the schema has accepted. */
export function referenceProblems(document: Journey, context: Context = {}): Problem[] {
  const problems: Problem[] = [];
  const say: Say = (path, message) => void problems.push({ path, message });
  const steps = eachStep(document);
  const keys = new Map<string, Step>();
  for (const { step, path } of steps) {
    if (keys.has(step.key)) say([...path, 'key'], `found "${step.key}" a second time, expected a key of its own`);
    keys.set(step.key, step);
  }
  const rules = new RuleChecks(document, context, say);
  const { entry } = document;
  entry?.on?.forEach((filter, i) => rules.check(filter, ['entry', 'on', i]));
  if (entry?.where) rules.check(entry.where, ['entry', 'where'], 'nobody has entered yet');
  if (entry?.date && 'field' in entry.date) dateField(entry.date.field, ['entry', 'date', 'field'], context.types, say);
  if (document.goal) rules.reason(document.goal.when, ['goal', 'when']);
  document.leaveWhen?.forEach((r, i) => rules.reason(r.when, ['leaveWhen', i, 'when']));
  document.notes?.forEach((note, i) => {
    if (!keys.has(note.at)) say(['notes', i, 'at'], `found "${note.at}", expected the key of a step`);
  });
  if (document.hours) opens(document.hours, null, ['hours'], say);
  const earlier: Step[] = [];
  for (const { step, path, before } of steps) {
    for (const lane of lanesOf(step)) if (lane.when) rules.check(lane.when, [...path, ...lane.path, 'when']);
    const inside: Say = (at, message) => say([...path, ...at], message);
    kindOf(step).problems?.(step, knownOf(document, context, before, earlier), inside);
    earlier.push(step);
  }
  return problems;
}

/** What of all this a step kind is told. */
function knownOf(
  { key, hours }: Journey,
  { journeys, types, settings }: Context,
  before: readonly Step[],
  earlier: readonly Step[]
): Known {
  return {
    own: key,
    hours,
    before,
    earlier,
    ...(journeys ? { hasJourney: (other) => journeys.has(other) } : {}),
    ...(types ? { types } : {}),
    sharedHours: (channel) => settings?.hours?.[channel] ?? null
  };
}

/** The rules of settings: their conditions and happenings name fields, segments and ladders that exist. */
export function settingsProblems(settings: Settings, types: ReadonlyMap<string, FieldType>): Problem[] {
  const problems: Problem[] = [];
  const say: Say = (path, message) => void problems.push({ path, message });
  const rules = new RuleChecks(null, { settings, types }, say);
  const once = (list: readonly { name: string; formerly?: string[] | undefined }[] | undefined, key: string): void => {
    const names = new Set<string>();
    list?.forEach(({ name }, i) => {
      if (names.has(name)) say([key, i, 'name'], `found "${name}" a second time, expected each once`);
      names.add(name);
    });
    // What was called so before is found by that name still: it cannot be another's.
    list?.forEach(({ formerly = [] }, i) =>
      formerly.forEach((name, j) => {
        if (names.has(name)) say([key, i, 'formerly', j], `found "${name}" a second time, expected each once`);
        names.add(name);
      })
    );
  };
  once(settings.fields, 'fields');
  once(settings.tags, 'tags');
  once(settings.lists, 'lists');
  once(settings.segments, 'segments');
  once(settings.ladders, 'ladders');
  once(settings.scores, 'scores');
  settings.segments?.forEach((s, i) => rules.check(s.when, ['segments', i, 'when'], 'settings know no journey'));
  const circles = segmentCircles(settings.segments ?? []);
  settings.segments?.forEach(({ name }, i) => {
    const round = circles.get(name);
    if (round)
      say(
        ['segments', i, 'when'],
        `found a circle: ${[...round, name].join(', ')}; expected segments that are built on others, and not on themselves`
      );
  });
  settings.ladders?.forEach((l, i) => {
    l.counts.forEach((f, j) => rules.check(f, ['ladders', i, 'counts', j]));
    const names = new Set([l.after]);
    l.rungs.forEach((r, j) => {
      if (names.has(r.name))
        say(['ladders', i, 'rungs', j, 'name'], `found "${r.name}" a second time, expected each once`);
      names.add(r.name);
    });
  });
  settings.scores?.forEach((s, i) => {
    s.rules.forEach((r, j) => rules.check(r.when, ['scores', i, 'rules', j, 'when']));
    if (s.floor !== undefined && s.ceiling !== undefined && s.floor > s.ceiling)
      say(['scores', i, 'floor'], `found ${s.floor}, expected at most the ceiling, ${s.ceiling}`);
  });
  for (const channel of ['sms', 'email'] as const) {
    const hours = settings.hours?.[channel];
    if (hours) opens(hours, null, ['hours', channel], say);
  }
  return problems;
}

/** Checks conditions and happening filters: what they name exists, what they compare fits. */
class RuleChecks {
  constructor(
    private readonly own: Journey | null,
    private readonly context: Context,
    private readonly say: Say
  ) {}

  /** `noWalk`: why no walk asks here, where none does. */
  check(rule: HappeningOrCondition, path: Path, noWalk: string | null = null): void {
    if (isHappening(rule)) this.filter(rule.happening, rule, path);
    else this.condition(rule, path, noWalk);
  }

  /** A goal or leave rule, which may be any of several happenings. */
  reason(reason: Reason, path: Path): void {
    if (Array.isArray(reason)) reason.forEach((filter, i) => this.check(filter, [...path, i]));
    else this.check(reason, path);
  }

  private condition(condition: Condition, path: Path, noWalk: string | null): void {
    const { say, context } = this;
    if ('all' in condition) return condition.all.forEach((c, i) => this.condition(c, [...path, 'all', i], noWalk));
    if ('any' in condition) return condition.any.forEach((c, i) => this.condition(c, [...path, 'any', i], noWalk));
    if (noWalk !== null && 'since' in condition && condition.since !== undefined)
      say([...path, 'since'], `found "since", expected none: ${noWalk}`);
    if ('did' in condition) {
      if (!this.own && condition.of !== undefined)
        return say([...path, 'of'], 'found "of", expected none: settings know no journey');
      return this.filter(condition.did, condition, path);
    }
    if ('came' in condition) return this.filter(condition.came, condition, path);
    if ('field' in condition) {
      const { field, ...comparison } = condition;
      if (field === '') return say([...path, 'field'], 'found "", expected the name of a field');
      const type = context.types?.get(field);
      for (const p of type ? typeMismatches(comparison, type) : [])
        say([...path, p.key], `found ${found(comparison[p.key])}, expected ${p.message}`);
      return;
    }
    if ('score' in condition) return;
    if ('not' in condition) return this.condition(condition.not as Condition, [...path, 'not'], noWalk);
    if ('segment' in condition) return this.segment(condition.segment, [...path, 'segment']);
    if ('rung' in condition) return this.rung([condition.rung].flat(), condition.ladder, path);
    if ('walking' in condition) this.journey(condition.walking, [...path, 'walking']);
  }

  private filter(name: string, filter: Filters, path: Path): void {
    if (filter.of !== undefined) this.of(name, filter, path);
    else if (filter.journey !== undefined) this.journey(filter.journey, [...path, 'journey']);
    if (filter.segment !== undefined) this.segment(filter.segment, [...path, 'segment']);
    if (name === 'rung_changed') {
      const rungs = [filter.to, filter.from].filter((r): r is string => typeof r === 'string');
      if (rungs.length || filter.ladder !== undefined) this.rung(rungs, filter.ladder, path);
    }
    const type = filter.field === undefined ? undefined : this.context.types?.get(filter.field);
    if (name === 'field_changed' && type && filter.to !== undefined && !isOfType(filter.to, type))
      this.say([...path, 'to'], `found ${found(filter.to)}, expected a value of type ${type}`);
  }

  private of(name: string, { of = '', journey }: Filters, path: Path): void {
    const task = name === 'task_done';
    const fits = (step: Step): boolean => (task ? step.kind === 'task' : isMessage(step));
    const has = (document: Journey): boolean => stepsOf(document.lane).some((s) => s.key === of && fits(s));
    const wanted = task ? 'a task step' : 'an email or sms step';
    if (journey === undefined || journey === this.own?.key) {
      if (this.own && !has(this.own))
        this.say([...path, 'of'], `found "${of}", expected the key of ${wanted} of this journey`);
      return;
    }
    this.journey(journey, [...path, 'journey']);
    const other = this.context.journeys?.get(journey);
    if (other && !has(other))
      this.say([...path, 'of'], `found "${of}", expected the key of ${wanted} of the journey "${journey}"`);
  }

  journey(key: string, path: Path): void {
    const { journeys } = this.context;
    if (journeys && !journeys.has(key)) this.say(path, `found "${key}", expected the key of a journey that was given`);
  }

  private segment(name: string, path: Path): void {
    const { settings } = this.context;
    if (settings !== undefined && !settings?.segments?.some((s) => s.name === name))
      this.say(path, `found "${name}", expected a segment of the settings`);
  }

  private rung(rungs: string[], ladder: string | undefined, path: Path): void {
    const { settings } = this.context;
    if (settings === undefined) return;
    const ladders = (settings?.ladders ?? []).filter((l) => ladder === undefined || l.name === ladder);
    if (ladder !== undefined && !ladders.length)
      return this.say([...path, 'ladder'], `found "${ladder}", expected a ladder of the settings`);
    const known = new Set(ladders.flatMap((l) => [...l.rungs.map((r) => r.name), l.after]));
    for (const rung of rungs)
      if (!known.has(rung)) this.say(path, `found the rung "${rung}", expected one of the settings' ladders`);
  }
}
