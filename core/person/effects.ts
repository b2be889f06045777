/**
 * Carrying out what a step asks for: it is said in the trail, recorded, and facts change at once. What changes is itself a
 * happening. Rules: docs/journey-language.md, "Steps" and "Order of things", 4.
 */
import type { JourneyPlan, JourneyInstruction } from '../journey/compile.ts';
import type { Effect } from '../steps/base.ts';
import type { Walk, WalkState } from '../walk/walk.ts';
import type { Happening } from './happening.ts';
import { mayAsk, type Keeper } from './keeper.ts';
import { addressOf, type Errand, type ErrandKind, type PersonState, type SentMessage } from './state.ts';
import type { Recorder, World } from './world.ts';
import { unreachable } from '../unreachable.ts';

/** What carrying out an effect needs of whoever works on the person. */
export interface Hands {
  readonly world: World;
  readonly person: PersonState;
  /** The instant worked at, UTC ms. */
  readonly at: number;
  readonly recorder: Recorder;
  readonly keeper: Keeper;
  /** A line of the trail. */
  say(plan: JourneyPlan, walk: Walk, step: string | null, what: string, detail: Record<string, unknown>): void;
  /** Ends a walk; `cause` is the walk that does it. */
  end(
    plan: JourneyPlan,
    walk: Walk,
    state: Exclude<WalkState, 'walking'>,
    reason: string | null,
    step: string | null,
    cause?: number
  ): void;
  handOver(plan: JourneyPlan, walk: Walk, here: JourneyInstruction, to: string, stay: boolean): void;
}

/** Happenings that a walk causes, each recorded at once. */
function emitAll(keeper: Keeper, happened: Happening[], walk: Walk): void {
  for (const h of happened) {
    h.cause = walk.id;
    keeper.emit(h);
  }
}

/** Hands on what is done outside the walk. */
function errand(
  { recorder, person, at }: Hands,
  plan: JourneyPlan,
  walk: Walk,
  step: string,
  kind: ErrandKind
): Errand {
  const visit = (walk.visits[step] = (walk.visits[step] ?? 0) + 1);
  const made = { kind, walk: walk.id, journey: plan.key, step, visit, at, order: person.order };
  recorder.errand(made);
  return made;
}

/** Carries out one effect of the step `here`, which the walk has just taken. */
export function carryOut(run: Hands, plan: JourneyPlan, walk: Walk, here: JourneyInstruction, effect: Effect): void {
  const { person, at, keeper } = run;
  const step = here.step.key;
  switch (effect.do) {
    case 'note':
      run.say(plan, walk, effect.step ?? step, effect.what, effect.detail);
      return;
    case 'send': {
      const { channel } = effect;
      const visit = (walk.visits[step] = (walk.visits[step] ?? 0) + 1);
      const about = { walk: walk.id, journey: plan.key, step };
      const address = addressOf(person, channel) ?? '';
      run.say(plan, walk, step, 'sent', { channel });
      const message: SentMessage = { ...about, visit, channel, at, order: person.order, address };
      if (effect.service) message.service = true;
      person.sent.push(message);
      run.recorder.message(message, address);
      keeper.emit({ name: 'sent', at, channel, about, cause: walk.id });
      return;
    }
    case 'label': {
      const added = keeper.label(effect.fact, effect.add, true);
      const removed = keeper.label(effect.fact, effect.remove, false);
      const { fact } = effect;
      run.say(plan, walk, step, effect.what, {
        add: added.map((h) => h[fact]),
        remove: removed.map((h) => h[fact])
      });
      emitAll(keeper, [...added, ...removed], walk);
      return;
    }
    case 'field': {
      const happened = keeper.fields(effect.set);
      run.say(plan, walk, step, 'set', { fields: Object.fromEntries(effect.set) });
      emitAll(keeper, happened, walk);
      return;
    }
    case 'score': {
      const { points, happened } = keeper.score(effect.score, effect.change);
      run.say(plan, walk, step, 'scored', { score: effect.score, points });
      emitAll(keeper, happened, walk);
      return;
    }
    case 'errand': {
      run.say(plan, walk, step, effect.what, {});
      const made = errand(run, plan, walk, step, effect.errand);
      if (effect.errand === 'task') person.tasks.push({ walk: walk.id, journey: plan.key, step, order: made.order });
      return;
    }
    case 'consent': {
      const asks = effect.state === 'pending' && mayAsk(person.consent[effect.channel]);
      const happened =
        effect.state === 'pending' ? keeper.ask(effect.channel) : keeper.consent(effect.channel, effect.state);
      const state = person.consent[effect.channel] ?? null;
      run.say(plan, walk, step, 'consent', { channel: effect.channel, state });
      if (asks) errand(run, plan, walk, step, 'ask');
      emitAll(keeper, happened, walk);
      return;
    }
    case 'withdraw': {
      const others = person.walks.filter(
        (w) =>
          w.state === 'walking' &&
          w.journey !== plan.key &&
          (effect.from === 'others' || effect.from.includes(w.journey))
      );
      run.say(plan, walk, step, 'withdrew', { from: [...new Set(others.map((w) => w.journey))] });
      for (const w of others) run.end(run.world.planOf(w), w, 'early', 'withdrawn', null, walk.id);
      return;
    }
    case 'handover':
      run.handOver(plan, walk, here, effect.journey, effect.stay);
      return;
    default:
      unreachable(effect);
  }
}
