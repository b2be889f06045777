/**
 * The order of things for one person: what an input or a timer sets off, in
 * which order, until everything stands still. The replay and the live engine
 * both run this very code; they differ only in where a person's state comes
 * from and where the records go. Rules: docs/journey-language.md, "Order of things".
 */
import { matches } from '../condition/evaluate.ts';
import type { Channel } from '../condition/schema.ts';
import { isHappening } from '../condition/schema.ts';
import { END, type Plan, type Rule } from '../journey/compile.ts';
import type { Effect } from '../steps/base.ts';
import { addDuration } from '../time/civil.ts';
import { DAY } from '../time/duration.ts';
import { advance, zoneOf, type Surroundings } from '../walk/advance.ts';
import { isWatched, type Walk, type WalkState } from '../walk/walk.ts';
import type { Happening } from './happening.ts';
import { addressOf, type ConsentState, type FieldValue, type PersonState, type SentMessage } from './state.ts';

/** One line of a trail, before it is printed or stored. */
export interface TrailLine {
  /** UTC ms. */
  at: number;
  walk: number | null;
  journey: string;
  step: string | null;
  what: string;
  /** Further keys, in the order in which they are printed. */
  detail: Record<string, unknown>;
}

/** A change of a fact, for whoever keeps facts. */
export type FactChange =
  | { fact: 'tag' | 'list'; name: string; on: boolean }
  | { fact: 'score'; name: string; points: number }
  | { fact: 'consent'; channel: Channel; state: ConsentState | null }
  | { fact: 'field'; name: string; value: FieldValue | null }
  | { fact: 'suppressed'; address: string };

/** Takes what happens while a person is worked on, in order. */
export interface Recorder {
  /** A walk that has just begun; its later changes are made to this same object. */
  walk(walk: Walk): void;
  trail(line: TrailLine): void;
  /** A happening that the engine itself set off, or (`given`) the one it was handed. */
  happening(h: Happening, given: boolean): void;
  message(m: SentMessage, address: string): void;
  change(c: FactChange): void;
}

/** The journeys and shared settings that a person moves among. */
export interface World extends Surroundings {
  /** Live journeys in their order; each can be entered. */
  plans: Plan[];
  /** The plan a running walk follows, which may be an earlier version. */
  planOf(walk: Walk): Plan;
  suppress(address: string): void;
}

/** Something that comes from outside. */
export type Input =
  | { kind: 'happening'; happening: Happening }
  | { kind: 'enter'; journey: string; by: string }
  /** Someone whom an earlier tag lets in when a journey goes live; a refusal is not told. */
  | { kind: 'existing'; journey: string }
  | {
      kind: 'set';
      fields?: Record<string, FieldValue | null>;
      addTags?: string[];
      removeTags?: string[];
      addLists?: string[];
      removeLists?: string[];
      consent?: Partial<Record<Channel, ConsentState | null>>;
    };

/** Why someone is not let in; the first that applies. */
export type Refusal = 'where' | 'once' | 'walking' | 'goal' | 'leave';

const MOST_STEPS = 1000;
const MOST_HAPPENINGS = 10_000;
/** A happening that names no message is about the latest one, if that is at most this old. */
const LATEST_WITHIN = 30 * DAY;

/** Works on one person at one instant. Make one per input or timer; state is changed in place. */
export class PersonRun {
  private queue: Happening[] = [];
  private setOff = 0;

  constructor(
    private readonly world: World,
    private readonly person: PersonState,
    private readonly at: number,
    private readonly recorder: Recorder,
    /** Before journeys are live, happenings change facts and are recorded, but begin and move nothing. */
    private readonly live = true
  ) {}

  /** Handles one input with all it sets off. */
  input(input: Input): void {
    switch (input.kind) {
      case 'happening':
        this.given(input.happening);
        break;
      case 'enter': {
        const plan = this.world.plans.find((p) => p.key === input.journey);
        if (plan) this.enter(plan, input.by, true);
        break;
      }
      case 'existing': {
        const plan = this.world.plans.find((p) => p.key === input.journey);
        if (plan && startsFromTag(plan, this.person.tags)) this.enter(plan, 'existing', false);
        break;
      }
      case 'set':
        this.set(input);
        break;
    }
    this.drain();
  }

  /** Fires the timers that are due at this instant, oldest walk first, each with all it sets off. */
  timers(): void {
    for (const walk of [...this.person.walks]) {
      if (walk.state !== 'walking' || !walk.standing || walk.standing.until > this.at) continue;
      this.setOff = 0;
      const plan = this.world.planOf(walk);
      // Rules are asked when a walk stops standing, while it is still at the step it stood on.
      if (!this.rules(plan, walk)) {
        const here = plan.instructions[walk.at];
        const waited = walk.standing.kind === 'wait';
        walk.standing = null;
        if (waited && here) walk.at = here.next;
        this.go(plan, walk, false);
      }
      this.drain();
    }
    this.forgetEnded();
  }

  private given(h: Happening): void {
    const resolved = h.about || !h.channel ? h : { ...h, about: this.latest(h.channel) };
    this.record(resolved, true);
    this.queue.push(resolved);
  }

  private latest(channel: Channel): Happening['about'] {
    const found = this.person.sent.findLast((m) => m.channel === channel && this.at - m.at < LATEST_WITHIN);
    return found && { walk: found.walk, journey: found.journey, step: found.step };
  }

  private set(input: Extract<Input, { kind: 'set' }>): void {
    const { person } = this;
    const happened: Happening[] = [];
    for (const [field, value] of Object.entries(input.fields ?? {})) {
      const before = person.fields.get(field);
      if (before === (value ?? undefined)) continue;
      if (value === null) person.fields.delete(field);
      else person.fields.set(field, value);
      this.recorder.change({ fact: 'field', name: field, value });
      happened.push({ name: 'field_changed', at: this.at, field, ...(value === null ? {} : { to: String(value) }) });
    }
    happened.push(...this.label('tag', input.addTags ?? [], true), ...this.label('tag', input.removeTags ?? [], false));
    happened.push(...this.label('list', input.addLists ?? [], true));
    happened.push(...this.label('list', input.removeLists ?? [], false));
    for (const channel of ['email', 'sms'] as const) {
      const state = input.consent?.[channel];
      if (state !== undefined) happened.push(...this.consent(channel, state));
    }
    // Each change is handled and finished before the next, all facts having changed first.
    for (const h of happened) {
      this.record(h, false);
      this.queue.push(h);
      this.drain();
    }
  }

  /** Puts labels on or off; gives the happenings of those that really changed. */
  private label(fact: 'tag' | 'list', names: string[], on: boolean): Happening[] {
    const held = fact === 'tag' ? this.person.tags : this.person.lists;
    const happened: Happening[] = [];
    for (const name of names) {
      if (held.has(name) === on) continue;
      if (on) held.add(name);
      else held.delete(name);
      this.recorder.change({ fact, name, on });
      const happening = fact === 'tag' ? (on ? 'tag_added' : 'tag_removed') : on ? 'list_joined' : 'list_left';
      happened.push({ name: happening, at: this.at, tag: name });
    }
    return happened;
  }

  private consent(channel: Channel, state: ConsentState | null): Happening[] {
    if ((this.person.consent[channel] ?? null) === state) return [];
    if (state === null) delete this.person.consent[channel];
    else this.person.consent[channel] = state;
    this.recorder.change({ fact: 'consent', channel, state });
    return [{ name: 'consent_changed', at: this.at, channel, to: state ?? '' }];
  }

  /** Writes a happening down; facts that follow from it change at once. */
  private record(h: Happening, given: boolean): void {
    const order = this.person.order++;
    this.recorder.happening(h, given);
    if (h.about && !h.machine) {
      const { walk, step } = h.about;
      this.person.reactions.push({ name: h.name, walk, step, at: h.at, order, ...(h.link ? { link: h.link } : {}) });
    }
    if (h.name === 'unsubscribed' || h.name === 'complained') {
      for (const c of this.consent(h.channel ?? 'email', 'withdrawn')) this.emit(c);
    }
    if (h.name === 'bounced' && h.hard) {
      const address = addressOf(this.person, h.channel ?? 'email');
      if (address && !this.world.suppressed(address)) {
        this.world.suppress(address);
        this.recorder.change({ fact: 'suppressed', address });
      }
    }
  }

  /** A happening that the work itself sets off: recorded at once, handled in its turn. */
  private emit(h: Happening): void {
    this.record(h, false);
    if (++this.setOff <= MOST_HAPPENINGS) this.queue.push(h);
  }

  private drain(): void {
    for (let h = this.queue.shift(); h; h = this.queue.shift()) this.handle(h);
    this.forgetEnded();
  }

  /** Walks oldest first, then entries in order of the journeys. */
  private handle(h: Happening): void {
    if (!this.live) return;
    for (const walk of [...this.person.walks]) {
      const walking = walk.state === 'walking';
      if (!walking && !isWatched(walk, this.at)) continue;
      const plan = this.world.planOf(walk);
      if (this.rules(plan, walk, h) || !walking) continue;
      this.builtIn(plan, walk, h);
    }
    for (const plan of this.world.plans) {
      if (plan.document.entry?.on?.some((rule) => matches(rule, h, plan.key, null))) this.enter(plan, h.name, false);
    }
  }

  /** Goal, then leave rules; with a happening, also those that name one. True where the walk has ended. */
  private rules(plan: Plan, walk: Walk, h: Happening | null = null): boolean {
    const holds = (rule: Rule): boolean => {
      if (rule.test) return rule.test(this.person, walk);
      return h !== null && isHappening(rule.rule) && matches(rule.rule, h, plan.key, walk);
    };
    const { goal } = plan;
    if (goal && !walk.goalReached && (walk.goalUntil === null || this.at <= walk.goalUntil) && holds(goal)) {
      walk.goalReached = true;
      const ends = goal.leave && walk.state === 'walking';
      if (!ends) this.say(plan, walk, null, 'reached', {});
      this.emit({ name: 'goal_reached', at: this.at, journey: plan.key });
      if (ends) {
        this.end(plan, walk, 'goal', null, null);
        return true;
      }
    }
    if (walk.state !== 'walking') return false;
    const leaving = plan.leaveWhen.find(holds);
    if (!leaving) return false;
    this.end(plan, walk, 'early', leaving.reason, null);
    return true;
  }

  /** Rule 5: those who unsubscribed or bounced leave, unless something still ahead is for them. */
  private builtIn(plan: Plan, walk: Walk, h: Happening): void {
    const out = h.name === 'unsubscribed' || h.name === 'complained' || (h.name === 'bounced' && h.hard === true);
    if (!out) return;
    const channel = h.channel ?? 'email';
    const ahead = plan.ahead(walk.at);
    if (ahead.sends.size === 0 || ahead.names.has(h.name)) return;
    if (ahead.sends.has(channel === 'email' ? 'sms' : 'email')) return;
    this.end(plan, walk, 'early', h.name === 'bounced' ? 'bounced' : 'unsubscribed', null);
  }

  /** Why this person would not be let in now; `null` where they would. */
  private refusal(plan: Plan, probe: Walk): Refusal | null {
    const { person } = this;
    if (plan.entryWhere && !plan.entryWhere(person, null)) return 'where';
    if (person.entered.has(plan.key)) return 'once';
    if (plan.goal?.test?.(person, probe)) return 'goal';
    if (plan.leaveWhen.some((rule) => rule.test?.(person, probe))) return 'leave';
    return null;
  }

  private enter(plan: Plan, by: string, told: boolean): void {
    const { person, at } = this;
    const zone = zoneOf(person, plan, this.world.zone);
    const walk: Walk = {
      id: person.nextWalk,
      journey: plan.key,
      version: plan.version,
      state: 'walking',
      at: plan.first,
      standing: null,
      by,
      enteredAt: at,
      endedAt: null,
      reason: null,
      visits: {},
      goalReached: false,
      goalUntil: plan.goal?.within ? addDuration(zone, at, plan.goal.within) : null
    };
    const refusal = this.refusal(plan, walk);
    if (refusal) {
      const line = { at, walk: null, journey: plan.key, step: null, what: 'refused', detail: { reason: refusal } };
      if (told) this.recorder.trail(line);
      return;
    }
    person.nextWalk++;
    person.entered.add(plan.key);
    person.walks.push(walk);
    this.recorder.walk(walk);
    this.say(plan, walk, null, 'entered', { by });
    this.emit({ name: 'entered', at, journey: plan.key });
    this.go(plan, walk, true);
  }

  /** Runs a walk step after step until it stands or ends. */
  private go(plan: Plan, walk: Walk, fresh: boolean): void {
    for (let steps = 0; walk.state === 'walking'; steps++) {
      // On entry the conditions have just been asked.
      if (!(fresh && steps === 0) && this.rules(plan, walk)) return;
      if (walk.at === END) return this.end(plan, walk, 'finished', null, null);
      if (steps >= MOST_STEPS || this.setOff > MOST_HAPPENINGS) return this.end(plan, walk, 'stopped', 'runaway', null);
      const key = plan.instructions[walk.at]?.step.key ?? null;
      const { effects, move } = advance(plan, walk, this.person, this.at, this.world);
      for (const effect of effects) this.carryOut(plan, walk, key, effect);
      if ('go' in move) walk.at = move.go;
      else if ('leave' in move) return this.end(plan, walk, move.leave, move.reason, key);
      else {
        walk.standing = move.stand;
        const until = new Date(move.stand.until).toISOString();
        if (move.stand.kind === 'wait') this.say(plan, walk, key, 'waiting', { until });
        else this.say(plan, walk, key, 'held', { until, reason: 'hours' });
        return;
      }
    }
  }

  private carryOut(plan: Plan, walk: Walk, step: string | null, effect: Effect): void {
    const { person, at } = this;
    switch (effect.do) {
      case 'note':
        this.say(plan, walk, step, effect.what, effect.detail);
        return;
      case 'send': {
        const { channel } = effect;
        const key = step ?? '';
        const visit = (walk.visits[key] = (walk.visits[key] ?? 0) + 1);
        const about = { walk: walk.id, journey: plan.key, step: key };
        this.say(plan, walk, step, 'sent', { channel });
        const message: SentMessage = { ...about, visit, channel, at, order: person.order };
        person.sent.push(message);
        this.recorder.message(message, addressOf(person, channel) ?? '');
        this.emit({ name: 'sent', at, channel, about });
        return;
      }
      case 'tag': {
        const added = this.label('tag', effect.add, true);
        const removed = this.label('tag', effect.remove, false);
        this.say(plan, walk, step, 'tagged', { add: added.map((h) => h.tag), remove: removed.map((h) => h.tag) });
        for (const h of [...added, ...removed]) this.emit(h);
        return;
      }
      case 'score': {
        const points = (person.scores.get(effect.score) ?? 0) + effect.add;
        person.scores.set(effect.score, points);
        this.recorder.change({ fact: 'score', name: effect.score, points });
        this.say(plan, walk, step, 'scored', { score: effect.score, points });
        return;
      }
    }
  }

  private end(
    plan: Plan,
    walk: Walk,
    state: Exclude<WalkState, 'walking'>,
    reason: string | null,
    step: string | null
  ): void {
    walk.state = state;
    walk.standing = null;
    walk.endedAt = this.at;
    walk.reason = reason;
    this.say(plan, walk, step, 'left', { as: state, ...(reason === null ? {} : { reason }) });
    this.emit({ name: 'left', at: this.at, journey: plan.key, as: state, ...(reason === null ? {} : { reason }) });
  }

  private say(plan: Plan, walk: Walk, step: string | null, what: string, detail: Record<string, unknown>): void {
    this.recorder.trail({ at: this.at, walk: walk.id, journey: plan.key, step, what, detail });
  }

  /** Ended walks stay only while their goal is still watched for. */
  private forgetEnded(): void {
    const { person, at } = this;
    if (!person.walks.some((w) => w.state !== 'walking' && !isWatched(w, at))) return;
    person.walks = person.walks.filter((w) => w.state === 'walking' || isWatched(w, at));
  }
}

/** Whether one of these tags is one that the journey starts from. */
function startsFromTag(plan: Plan, tags: Set<string>): boolean {
  return (plan.document.entry?.on ?? []).some((rule) => rule.tag !== undefined && tags.has(rule.tag));
}

/** The instant of the person's next timer, in UTC ms; `null` where no walk stands. */
export function nextDue(person: PersonState): number | null {
  let next: number | null = null;
  for (const { standing } of person.walks) {
    if (standing && (next === null || standing.until < next)) next = standing.until;
  }
  return next;
}
