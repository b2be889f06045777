/**
 * The order of things for one person: what an input or a timer sets off, in
 * which order, until everything stands still. The replay and the live engine
 * both run this very code; they differ only in where a person's state comes
 * from and where the records go. Rules: docs/journey-language.md, "Order of things".
 */
import type { Asked } from '../condition/evaluate.ts';
import { type PlanRule, END } from '../walk/plan.ts';
import type { JourneyPlan, JourneyInstruction } from '../journey/compile.ts';
import type { Move, Outcome, StepContext } from '../steps/base.ts';
import { kindOf } from '../steps/index.ts';
import { DAY } from '../time/duration.ts';
import { instantText } from '../time/instant.ts';
import { advance, contextOf } from '../walk/advance.ts';
import { zoneOf } from '../walk/surroundings.ts';
import { chance } from '../walk/chance.ts';
import { isWatched, type Walk, type WalkState } from '../walk/walk.ts';
import { datedKey, type DatedWay } from './dated.ts';
import { carryOut, type Hands } from './effects.ts';
import { isExisting, newWalk, refusalOf, type Refusal } from './entering.ts';
import { GIVEN_POINTS, type Happening } from './happening.ts';
import type { Input, Recorder, World } from './world.ts';
import { joinSilently } from './joining.ts';
import { Keeper, MOST_HAPPENINGS } from './keeper.ts';
import { placeIn } from './moving.ts';
import { addressOf, type PersonState } from './state.ts';
import { unreachable } from '../unreachable.ts';

/** An entry that a hand-over has decided on, waiting for its turn. */
interface Begin {
  plan: JourneyPlan;
  entry: Happening | undefined;
  cause: number;
}

const MOST_STEPS = 1000;
/** So much of what happened is kept for someone in a paused journey; what comes behind it is recorded, and not heard of there. */
const MOST_MISSED = 1000;
/** A happening that names no message is about the latest one, if that is at most this old. */
const LATEST_WITHIN = 30 * DAY;

/** Works on one person at one instant. Make one per input or timer; state is changed in place. */
export class PersonRun implements Hands {
  private readonly queue: (Happening | Begin)[] = [];
  readonly keeper: Keeper;
  /** Whether a walk has ended since ended ones were last let go. */
  private ended = false;
  /** Whom conditions are asked of; the walk and its zone change with who asks. */
  private readonly asked: Asked;

  constructor(
    readonly world: World,
    readonly person: PersonState,
    public at: number,
    readonly recorder: Recorder,
    /** Before journeys are live, happenings change facts and are recorded, but begin and move nothing. */
    private live = true
  ) {
    this.keeper = new Keeper(world, person, at, recorder, (h) => void this.queue.push(h));
    this.asked = { person, walk: null, at, zone: world.workspace.zone, workspace: world.workspace };
  }

  /** Moves on to another instant: the same person, the same world, a new count of what is set off. */
  moveTo(at: number, live: boolean): this {
    this.at = at;
    this.live = live;
    this.keeper.at = at;
    this.keeper.setOff = 0;
    this.asked.at = at;
    return this;
  }

  /** Handles one input with all it sets off. */
  input(input: Input): void {
    switch (input.kind) {
      case 'happening':
        this.keeper.given(this.resolve(input.happening));
        break;
      case 'enter': {
        const plan = this.world.plans.find((p) => p.key === input.journey);
        if (plan) this.enter(plan, input.by, { told: true });
        else if (this.world.paused.has(input.journey)) this.refuse(input.journey, 'paused');
        break;
      }
      case 'existing': {
        const plan = this.world.plans.find((p) => p.key === input.journey);
        if (plan && isExisting(plan, this.person)) this.enter(plan, 'existing', {});
        break;
      }
      case 'set':
        this.set(input);
        break;
      case 'look':
        if (input.segments === 'silently') joinSilently(this.world, this.person, this.at, this.recorder);
        else if (input.segments === 'told') this.clock(true);
        break;
      case 'move':
        for (const walk of this.person.walks) this.move(walk, input);
        break;
      case 'end':
        for (const walk of [...this.person.walks])
          if (walk.journey === input.journey && walk.state === 'walking' && (input.walk ?? walk.id) === walk.id)
            this.end(this.world.planOf(walk), walk, 'early', 'ended', null);
        break;
      case 'hurry':
        this.hurry(input);
        break;
      case 'resumed':
        this.resumed(input.journey, input.happened);
        break;
      default:
        unreachable(input);
    }
    this.drain();
  }

  private hurry({ walk: id, step, by }: Extract<Input, { kind: 'hurry' }>): void {
    const walk = this.person.walks.find((w) => w.id === id && w.state === 'walking');
    if (walk?.standing?.kind !== 'wait' || this.world.paused.has(walk.journey)) return;
    const plan = this.world.planOf(walk);
    if (plan.instructions[walk.at]?.step.key !== step) return;
    // It is the wait that is over, not the time within which they have to do something.
    walk.standing = { kind: 'wait', until: this.at };
    this.say(plan, walk, step, 'hurried', { by });
    if (!this.rules(plan, walk)) this.stopStanding(plan, walk);
  }

  private move(walk: Walk, { journey, version }: Extract<Input, { kind: 'move' }>): void {
    if (walk.journey !== journey || walk.state !== 'walking' || walk.version === version) return;
    const plan = this.world.planOf({ ...walk, version });
    const at = placeIn(plan, this.world.planOf(walk), walk);
    if (at === null) return;
    const before = walk.version;
    walk.version = version;
    walk.at = at;
    this.say(plan, walk, plan.instructions[at]?.step.key ?? null, 'moved', { from: before, to: version });
  }

  /** What the clock changes at this instant: rungs that have passed and, where it is midnight, segments. */
  clock(midnight: boolean): void {
    for (const h of this.keeper.slipped()) {
      this.keeper.emit(h);
      this.drain();
    }
    if (!midnight) return;
    for (const h of this.keeper.lookAtSegments()) {
      this.keeper.emit(h);
      this.drain();
    }
  }

  /** Lets the person in by a date or a timetable; a refusal is not told. */
  dated(plan: JourneyPlan, way: DatedWay): void {
    (this.person.dated ??= new Map<string, number>()).set(datedKey(plan, way), this.at);
    this.keeper.setOff = 0;
    this.enter(plan, way, {});
    this.drain();
  }

  /** Fires the timers that are due at this instant, oldest walk first, each with all it sets off. */
  timers(): void {
    const { walks } = this.person;
    const { length } = walks;
    for (let i = 0; i < length; i++) {
      const walk = walks[i];
      if (walk?.state !== 'walking' || !walk.standing || walk.standing.until > this.at) continue;
      if (this.world.paused.has(walk.journey)) continue;
      this.keeper.setOff = 0;
      const plan = this.world.planOf(walk);
      // Rules are asked when a walk stops standing, while it is still at the step it stood on.
      if (!this.rules(plan, walk)) this.stopStanding(plan, walk);
      this.drain();
    }
    this.forgetEnded();
  }

  private stopStanding(plan: JourneyPlan, walk: Walk): void {
    const here = plan.instructions[walk.at];
    const { standing } = walk;
    if (!standing) return;
    if (standing.kind === 'held-out') return this.end(plan, walk, 'finished', 'held-out', null);
    if (standing.idle) return this.end(plan, walk, 'early', 'idle', null);
    walk.standing = null;
    const { due } = here ? kindOf(here.step) : {};
    if (here && due) this.follow(plan, walk, here, due(here.step, here, this.contextOf(plan, walk)));
    this.go(plan, walk);
  }

  /** A happening with the message it is about: the one it names, or the latest of its channel. */
  private resolve(h: Happening): Happening {
    if (h.about || !h.channel || h.name === 'consent_changed') return h;
    const found = this.person.sent.findLast((m) => m.channel === h.channel && this.at - m.at <= LATEST_WITHIN);
    return found ? { ...h, about: { walk: found.walk, journey: found.journey, step: found.step } } : h;
  }

  private set(input: Extract<Input, { kind: 'set' }>): void {
    const { keeper } = this;
    const happened = keeper.fields(Object.entries(input.fields ?? {}));
    happened.push(...keeper.label('tag', input.addTags ?? [], true));
    happened.push(...keeper.label('tag', input.removeTags ?? [], false));
    happened.push(...keeper.label('list', input.addLists ?? [], true));
    happened.push(...keeper.label('list', input.removeLists ?? [], false));
    for (const [score, add] of Object.entries(input.scores ?? {})) {
      const { happened: risen } = keeper.score(score, { add });
      // Told as it was given: what a rise comes to follows from it, also where it is worked out anew.
      happened.push({ name: GIVEN_POINTS, at: this.at, score, points: add }, ...risen);
    }
    for (const channel of ['email', 'sms'] as const) {
      const state = input.consent?.[channel];
      const address = input.proof?.address;
      // Their address may have changed since: what was said of the one they had is not said of the one they have.
      if (state !== 'withdrawn' && address !== undefined && address !== addressOf(this.person, channel)) continue;
      if (state !== undefined) happened.push(...keeper.consentFrom(input.by, channel, state));
    }
    // Each change is handled and finished before the next, all facts having changed first.
    for (const h of happened) {
      keeper.changed(h);
      this.drain();
    }
  }

  private drain(): void {
    for (let next = this.queue.shift(); next; next = this.queue.shift()) {
      if ('plan' in next) {
        this.person.promised.splice(this.person.promised.indexOf(next.plan.key), 1);
        this.begin(next.plan, 'handover', next.entry, next.cause);
      } else this.handle(next);
      // A runaway ends walks by the thousand: they are not kept for what comes behind them.
      if (this.ended) this.forgetEnded();
    }
    this.forgetEnded();
  }

  /** Keeps for paused journeys what they would hear of: those inside, and what would let someone in. */
  private miss(h: Happening): void {
    const { person, world } = this;
    if (h.record === undefined) return;
    for (const [key, plan] of world.paused) {
      const inside = person.walks.some((w) => w.journey === key);
      const { zone } = this.askedBy(plan, null);
      if (!inside && !plan.entry.on.some((rule) => rule.name === h.name && rule.match(h, null, zone))) continue;
      const missed = (person.missed ??= new Map<string, number[]>());
      const records = missed.get(key) ?? [];
      if (records.length < MOST_MISSED) missed.set(key, [...records, h.record]);
    }
  }

  /** What happened while a journey was paused is heard of now, in its order: by those inside, then by who would have got in. */
  private resumed(journey: string, happened: readonly Happening[]): void {
    // Paused once more in between, it goes on missing.
    if (this.world.paused.has(journey)) return;
    this.person.missed?.delete(journey);
    if (!this.person.missed?.size) this.person.missed = null;
    for (const h of happened) {
      this.keeper.setOff = 0;
      this.handle(h, journey);
      this.drain();
    }
  }

  /** Walks oldest first, each until it stands still; then entries in order of the journeys. */
  private handle(h: Happening, only: string | null = null): void {
    if (!this.live) return;
    if (only === null && this.world.paused.size) this.miss(h);
    // Walks that begin meanwhile are appended, and have not heard of this.
    const { walks } = this.person;
    const { length } = walks;
    for (let i = 0; i < length; i++) {
      const walk = walks[i];
      const walking = walk?.state === 'walking';
      if (!walk || (!walking && !isWatched(walk, this.at))) continue;
      if (this.world.paused.has(walk.journey) || (only !== null && walk.journey !== only)) continue;
      // What is told late is on record; it is nothing that a walk which began behind it could have waited for.
      if (only === null && h.at < walk.enteredAt) continue;
      const plan = this.world.planOf(walk);
      if (plan.wakes && !plan.wakes.has(h.name)) continue;
      if (this.rules(plan, walk, h) || !walking || walk.heldOut) continue;
      if (this.listens(plan, walk, h)) continue;
      if (walk.state === 'walking') this.builtIn(plan, walk, h);
    }
    for (const plan of this.world.plans) {
      if (only === null ? h.at < (this.world.since?.get(plan.key) ?? -Infinity) : plan.key !== only) continue;
      for (const rule of plan.entry.on) {
        if (rule.name !== h.name || !rule.match(h, null, this.askedBy(plan, null).zone)) continue;
        this.enter(plan, h.name, { entry: h });
        break;
      }
    }
  }

  /** Offers a happening to what a walk stands on. True where it is used up. */
  private listens(plan: JourneyPlan, walk: Walk, h: Happening): boolean {
    const here = plan.instructions[walk.at];
    if (!here || !walk.standing) return false;
    const outcome = kindOf(here.step).hears?.(here.step, here, h, this.contextOf(plan, walk));
    if (!outcome) return false;
    walk.standing = null;
    this.follow(plan, walk, here, outcome);
    this.go(plan, walk);
    return outcome.used;
  }

  private contextOf(plan: JourneyPlan, walk: Walk): StepContext {
    return contextOf(plan, walk, this.person, this.at, this.world);
  }

  private askedBy(plan: JourneyPlan, walk: Walk | null): Asked {
    this.asked.walk = walk;
    this.asked.zone = zoneOf(this.person, plan, this.world.workspace.zone);
    return this.asked;
  }

  /** Goal, then leave rules; with a happening, also those that name one. True where the walk has ended. */
  private rules(plan: JourneyPlan, walk: Walk, h: Happening | null = null): boolean {
    const { goal, leaveWhen } = plan;
    if (!goal && !leaveWhen.length) return false;
    const asked = this.askedBy(plan, walk);
    if (goal && !walk.goalReached && (walk.goalUntil === null || this.at <= walk.goalUntil) && meets(goal, asked, h)) {
      const ends = goal.leave && walk.state === 'walking';
      if (!ends) this.say(plan, walk, null, 'reached', {});
      this.reach(plan, walk);
      if (ends) {
        this.end(plan, walk, 'goal', null, null);
        return true;
      }
    }
    if (walk.state !== 'walking') return false;
    const leaving = leaveWhen.find((rule) => meets(rule, asked, h));
    if (!leaving) return false;
    this.end(plan, walk, 'early', leaving.reason, null);
    return true;
  }

  private reach(plan: JourneyPlan, walk: Walk): void {
    walk.goalReached = true;
    this.keeper.emit({ name: 'goal_reached', at: this.at, journey: plan.key, cause: walk.id });
  }

  /** PlanRule 5: those who unsubscribed or bounced leave, unless something still ahead is for them. */
  private builtIn(plan: JourneyPlan, walk: Walk, h: Happening): void {
    const bounced = h.name === 'bounced' && h.hard === true;
    if (!bounced && h.name !== 'unsubscribed' && h.name !== 'complained') return;
    if (h.machine) return;
    const channel = h.channel ?? 'email';
    const ahead = plan.ahead(walk.at);
    if (ahead.sends.size === 0 || ahead.other || ahead.names.has(h.name)) return;
    if (ahead.sends.has(channel === 'email' ? 'sms' : 'email') || (ahead.service && !bounced)) return;
    this.end(plan, walk, 'early', bounced ? 'bounced' : 'unsubscribed', null);
  }

  /** Why this person would not be let in now; `null` where they would. */
  private refusal(plan: JourneyPlan, probe: Walk): Refusal | null {
    return refusalOf(plan, this.askedBy(plan, probe));
  }

  private probe(plan: JourneyPlan, by: string, entry: Happening | undefined): Walk {
    return newWalk(plan, this.person, this.at, by, entry, this.world.workspace.zone);
  }

  private enter(plan: JourneyPlan, by: string, how: { told?: boolean; entry?: Happening }): void {
    if (!this.live) return;
    const refusal = this.refusal(plan, this.probe(plan, by, how.entry));
    if (!refusal) return this.begin(plan, by, how.entry, how.entry?.cause);
    if (how.told) this.refuse(plan.key, refusal);
  }

  private refuse(journey: string, reason: Refusal): void {
    this.recorder.trail({ at: this.at, walk: null, journey, step: null, what: 'refused', detail: { reason } });
  }

  private begin(plan: JourneyPlan, by: string, entry: Happening | undefined, cause: number | undefined): void {
    const { person, at } = this;
    if (plan.entry.again === 'restart') {
      for (const w of [...person.walks]) {
        if (w.journey === plan.key && w.state === 'walking')
          this.end(this.world.planOf(w), w, 'early', 'restarted', null);
      }
    }
    const walk = this.probe(plan, by, entry);
    if (walk.since !== undefined) walk.since = person.order;
    person.nextWalk++;
    person.entered.add(plan.key);
    person.walks.push(walk);
    this.recorder.walk(walk);
    this.say(plan, walk, null, 'entered', { by });
    this.keeper.emit({ name: 'entered', at, journey: plan.key, cause: by === 'handover' && cause ? cause : walk.id });
    if (plan.entry.holdOut > 0 && chance(plan.key, '', person.id) < plan.entry.holdOut) {
      walk.heldOut = true;
      this.say(plan, walk, null, 'held-out', {});
      walk.standing = { kind: 'held-out', until: walk.goalUntil ?? at };
      return;
    }
    this.go(plan, walk);
  }

  /** Runs a walk step after step until it stands or ends. */
  private go(plan: JourneyPlan, walk: Walk): void {
    for (let steps = 0; walk.state === 'walking' && !walk.standing; steps++) {
      // Also before the first: entering may have earned points, and a hand-over begins later than it was decided.
      if (this.rules(plan, walk)) return;
      if (walk.at === END) return this.end(plan, walk, 'finished', null, null);
      if (steps >= MOST_STEPS || this.keeper.setOff >= MOST_HAPPENINGS) {
        return this.end(plan, walk, 'stopped', 'runaway', null);
      }
      const here = plan.instructions[walk.at];
      if (here) this.follow(plan, walk, here, advance(plan, walk, this.person, this.at, this.world));
    }
  }

  /** Carries out what a step asked for, and moves the walk. */
  private follow(plan: JourneyPlan, walk: Walk, here: JourneyInstruction, { effects, move }: Outcome): void {
    const { key } = here.step;
    for (const effect of effects) carryOut(this, plan, walk, here, effect);
    if (walk.state !== 'walking') return;
    if ('go' in move) walk.at = move.go;
    else if ('leave' in move) {
      if (move.leave === 'goal' && !walk.goalReached) this.reach(plan, walk);
      this.end(plan, walk, move.leave, move.reason, key);
    } else this.stand(plan, walk, key, move);
  }

  private stand(
    plan: JourneyPlan,
    walk: Walk,
    key: string,
    { stand, reason }: Extract<Move, { stand: unknown }>
  ): void {
    walk.standing = stand;
    const until = instantText(stand.until);
    if (stand.kind === 'held') this.say(plan, walk, key, 'held', { until, reason: reason ?? 'hours' });
    else this.say(plan, walk, key, 'waiting', { until });
  }

  /** Decided here and now; the entry itself waits for its turn in the queue. */
  handOver(plan: JourneyPlan, walk: Walk, here: JourneyInstruction, to: string, stay: boolean): void {
    const { person } = this;
    const step = here.step.key;
    const target = this.world.plans.find((p) => p.key === to);
    const refusal = target
      ? this.refusal(target, this.probe(target, 'handover', walk.entry))
      : this.world.paused.has(to)
        ? 'paused'
        : 'where';
    if (!target || refusal) {
      this.say(plan, walk, step, 'refused', { to, reason: refusal });
      return;
    }
    this.say(plan, walk, step, 'handed', { to });
    person.promised.push(to);
    this.queue.push({ plan: target, entry: walk.entry, cause: walk.id });
    if (!stay) this.end(plan, walk, 'finished', 'handed-over', step);
  }

  end(
    plan: JourneyPlan,
    walk: Walk,
    state: Exclude<WalkState, 'walking'>,
    reason: string | null,
    step: string | null,
    cause = walk.id
  ): void {
    this.ended = true;
    walk.state = state;
    walk.standing = null;
    walk.endedAt = this.at;
    walk.reason = reason;
    const more = reason === null ? {} : { reason };
    this.say(plan, walk, step, 'left', { as: state, ...more });
    this.keeper.emit({ name: 'left', at: this.at, journey: plan.key, as: state, ...more, cause });
  }

  say(plan: JourneyPlan, walk: Walk, step: string | null, what: string, detail: Record<string, unknown>): void {
    this.recorder.trail({ at: this.at, walk: walk.id, journey: plan.key, step, what, detail });
  }

  /** Ended walks stay only while their goal is still watched for. */
  private forgetEnded(): void {
    const { person, at } = this;
    this.ended = false;
    for (const w of person.walks) {
      if (w.state === 'walking' || isWatched(w, at)) continue;
      person.walks = person.walks.filter((walk) => walk.state === 'walking' || isWatched(walk, at));
      return;
    }
  }
}

/** Whether a goal or leave rule holds: its condition now, or the happening in hand. */
function meets({ test, match }: PlanRule, asked: Asked, h: Happening | null): boolean {
  return test ? test(asked) : h !== null && (match?.(h, asked.walk, asked.zone) ?? false);
}
