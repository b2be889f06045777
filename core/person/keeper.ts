/**
 * Recording: a happening is written down, and facts, scores, rungs and segments
 * follow from it at once. What follows is itself a happening, recorded after it.
 * Rules: docs/journey-language.md, "Order of things", 2 and 5.
 */
import type { Channel, ConsentState, FieldValue } from './values.ts';
import type { FieldChange } from '../steps/base.ts';
import { climb, slip, type RungChange } from '../engagement/ladders.ts';
import { changeScore, scoreHappening, settingsZone, type ScoreChange } from '../engagement/scores.ts';
import type { Happening } from './happening.ts';
import { addOrder, refund } from './orders.ts';
import type { ActOf, Recorder, World } from './world.ts';
import { addressOf, type PersonState } from './state.ts';

/** More than these that one input sets off are recorded, but begin and move nothing. */
export const MOST_HAPPENINGS = 10_000;

export class Keeper {
  /** Happenings that the input in hand has set off. */
  setOff = 0;

  constructor(
    private readonly world: World,
    private readonly person: PersonState,
    /** The instant worked at, UTC ms. */
    public at: number,
    private readonly recorder: Recorder,
    /** Takes happenings that are to be handled, in their order. */
    private readonly queue: (h: Happening) => void
  ) {}

  /** Records a happening that came from outside, with all that follows from it. */
  given(h: Happening): void {
    this.record(h, true);
  }

  /** Records a happening that the work itself set off. */
  emit(h: Happening): void {
    this.record(h, false);
  }

  /** Records a change made from outside: a happening like one of the work's own, but not set off by it. */
  changed(h: Happening): void {
    this.record(h, false, false);
  }

  private record(first: Happening, given: boolean, setOff = !given): void {
    if (setOff) this.setOff++;
    let todo: Happening[] | null = this.recordOne(first, given);
    // What follows may have consequences of its own: recorded in their turn, never by recursion.
    while (todo) {
      let more: Happening[] | null = null;
      for (const h of todo) {
        this.setOff++;
        const next = this.recordOne(h, false);
        if (next) more = more ? [...more, ...next] : next;
      }
      todo = more;
    }
  }

  private recordOne(h: Happening, given: boolean): Happening[] | null {
    const full = this.write(h, given);
    const beyond = this.setOff > MOST_HAPPENINGS;
    if (!beyond) this.queue(full);
    return this.follows(full) ? this.follow(full, beyond) : null;
  }

  /** Whether anything can follow from a happening by itself. */
  private follows({ name }: Happening): boolean {
    return this.world.workspace.reacts || name === 'unsubscribed' || name === 'complained' || name === 'bounced';
  }

  private write(h: Happening, given: boolean): Happening {
    const { person } = this;
    const full = h.name === 'refunded' ? refund(person, h) : given ? { ...h } : h;
    full.record = person.order++;
    this.recorder.happening(full, given);
    if (full.about) person.reactions.push(full);
    if (this.world.asks.has(full.name)) person.record.push(full);
    if (full.name === 'purchased') addOrder(person, full);
    return full;
  }

  /** What follows from a happening, in order: consent, scores, rungs, segments. */
  private follow(h: Happening, beyond: boolean): Happening[] | null {
    const { person, at, world } = this;
    const next: Happening[] = [];
    if (h.name === 'unsubscribed' || h.name === 'complained') {
      next.push(...this.consent(h.channel ?? 'email', 'withdrawn'));
    }
    if (h.name === 'bounced' && h.hard) this.suppress(h);
    const { workspace } = world;
    if (workspace.reacts && !beyond) {
      for (const change of scoreHappening(workspace, person, h, at)) next.push(...this.scored(change));
      for (const change of climb(workspace, person, h, at)) next.push(rung(change, at));
      next.push(...this.lookAtSegments());
    }
    if (h.cause !== undefined) for (const n of next) n.cause = h.cause;
    return next.length ? next : null;
  }

  private suppress(h: Happening): void {
    const { about } = h;
    const channel = h.channel ?? 'email';
    const message =
      about &&
      this.person.sent.findLast((m) => m.walk === about.walk && m.step === about.step && m.journey === about.journey);
    const address = message?.address ?? addressOf(this.person, channel);
    if (!address || this.world.suppressed(address)) return;
    this.world.suppress(address);
    this.recorder.change({ fact: 'suppressed', address });
  }

  /** A score that has changed, as a happening where it rose. */
  private scored({ score, before, points }: ScoreChange): Happening[] {
    this.recorder.change({ fact: 'score', name: score, points });
    return points > before ? [{ name: 'score_reached', at: this.at, score, before, points }] : [];
  }

  /** Changes a score; gives the total, and the happening of a rise. */
  score(name: string, change: { add: number } | { set: number }): { points: number; happened: Happening[] } {
    const made = changeScore(this.world.workspace, this.person, name, change, this.at);
    return { points: made.points, happened: this.scored(made) };
  }

  /** Puts labels on or off; gives the happenings of those that really changed. */
  label(fact: 'tag' | 'list', names: readonly string[], on: boolean): Happening[] {
    const held = fact === 'tag' ? this.person.tags : this.person.lists;
    const happened: Happening[] = [];
    for (const name of names) {
      if (held.has(name) === on) continue;
      if (on) held.add(name);
      else held.delete(name);
      this.recorder.change({ fact, name, on });
      happened.push(
        fact === 'tag'
          ? { name: on ? 'tag_added' : 'tag_removed', at: this.at, tag: name }
          : { name: on ? 'list_joined' : 'list_left', at: this.at, list: name }
      );
    }
    return happened;
  }

  /** Sets and clears fields; gives the happenings of those that really changed. */
  fields(changes: readonly FieldChange[]): Happening[] {
    const { fields } = this.person;
    const happened: Happening[] = [];
    for (const [field, wanted] of changes) {
      const value = Array.isArray(wanted) && wanted.length === 0 ? null : wanted;
      const before = fields.get(field);
      if (unchanged(before, value)) continue;
      if (value === null) fields.delete(field);
      else fields.set(field, value);
      this.recorder.change({ fact: 'field', name: field, value });
      happened.push({ name: 'field_changed', at: this.at, field, ...(value === null ? {} : { to: value }) });
    }
    return happened;
  }

  /**
   * Changes a consent from outside. Withdrawn stays withdrawn, whoever says otherwise and however late: only an act of the person's
   * own, or of one colleague for them, brings it back. Rule: docs/journey-language.md, `ambulo.set`.
   */
  consentFrom(by: ActOf | undefined, channel: Channel, state: ConsentState | null): Happening[] {
    return this.person.consent[channel] === 'withdrawn' && by === undefined ? [] : this.consent(channel, state);
  }

  /** Asks for a consent: where it is neither given nor withdrawn, it is pending from now on. */
  ask(channel: Channel): Happening[] {
    return mayAsk(this.person.consent[channel]) ? this.consent(channel, 'pending') : [];
  }

  consent(channel: Channel, state: ConsentState | null): Happening[] {
    const { consent } = this.person;
    if ((consent[channel] ?? null) === state) return [];
    if (state === null) delete consent[channel];
    else consent[channel] = state;
    this.recorder.change({ fact: 'consent', channel, state });
    return [{ name: 'consent_changed', at: this.at, channel, to: state ?? '' }];
  }

  /** Looks at every segment; gives the happenings of those joined and left. */
  lookAtSegments(): Happening[] {
    const { person, at, world } = this;
    const { workspace } = world;
    if (!workspace.segments.length) return [];
    const asked = { person, walk: null, at, zone: settingsZone(person, workspace), workspace };
    const happened: Happening[] = [];
    for (const { name, test } of workspace.segments) {
      const holds = test(asked);
      if (holds === person.segments.has(name)) continue;
      if (holds) person.segments.add(name);
      else person.segments.delete(name);
      this.recorder.change({ fact: 'segment', name, on: holds });
      happened.push({ name: holds ? 'segment_joined' : 'segment_left', at, segment: name });
    }
    return happened;
  }

  /** What the clock brings: rungs that have passed. */
  slipped(): Happening[] {
    return slip(this.world.workspace, this.person, this.at).map((change) => rung(change, this.at));
  }
}

/** Whether somebody may be asked for a consent: who gave it need not be, who withdrew it is not written to again for it. */
export const mayAsk = (state: ConsentState | undefined): boolean => state !== 'given' && state !== 'withdrawn';

const rung = ({ ladder, from, to }: RungChange, at: number): Happening => ({
  name: 'rung_changed',
  at,
  ladder,
  to,
  ...(from === null ? {} : { from })
});

function unchanged(before: FieldValue | undefined, value: FieldValue | null): boolean {
  if (value === null) return before === undefined;
  if (Array.isArray(value) && Array.isArray(before))
    return value.length === before.length && value.every((v, i) => v === before[i]);
  return before === value;
}
