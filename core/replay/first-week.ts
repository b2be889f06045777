/**
 * What a journey would send to some people in the days after they enter: worked out by the replay, once with nobody reacting
 * to anything and once with everybody opening every email and following its first link. What really comes lies between, or
 * near them, as people do some of it.
 */
import { produce } from 'immer';
import type { Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { findLinks } from '../message/links.ts';
import type { PersonState } from '../person/state.ts';
import { newPerson } from '../person/state.ts';
import type { Channel } from '../person/values.ts';
import type { Settings } from '../settings/schema.ts';
import { DAY, HOUR, MINUTE } from '../time/duration.ts';
import { replay } from './replay.ts';
import type { TimedInput } from './happenings.ts';

/** Messages of one day by channel: the fewer and the more of the two courses. */
export interface DayVolume {
  /** Days since entry: 0 for the first 24 hours. */
  day: number;
  email: [low: number, high: number];
  sms: [low: number, high: number];
}

/** Each reaction may bring messages that bring more; what a week holds is soon told. */
const MOST_ROUNDS = 8;

/** A person with what a journey asks of them, and no walk: as somebody who enters it now. */
function fresh(state: PersonState): PersonState {
  const person = newPerson(state.id);
  return {
    ...person,
    fields: new Map(state.fields),
    tags: new Set(state.tags),
    lists: new Set(state.lists),
    segments: new Set(state.segments),
    consent: { ...state.consent },
    scores: new Map(state.scores)
  };
}

/** Rounds that all loops of a journey together are played, at most: one that waits a second and goes back would fill the week. */
const MOST_LOOPED = 200;

/** The journey with loops that end. */
const bounded = (document: Journey): Journey =>
  produce(document, (draft) => {
    const loops = eachStep(draft as Journey).flatMap(({ step }) => (step.kind === 'loop' ? [step] : []));
    const each = Math.max(1, Math.floor(MOST_LOOPED / loops.length));
    for (const loop of loops) loop.atMost = Math.min(loop.atMost ?? each, each);
  });

interface Sent {
  at: number;
  person: string;
  step: string;
}

/** The first days of a journey that these people enter at `at` (UTC ms). */
export function firstDays(
  document: Journey,
  people: readonly PersonState[],
  settings: Settings | null,
  at: number,
  days = 7
): DayVolume[] {
  const channels = new Map<string, Channel>();
  const links = new Map<string, string | undefined>();
  for (const { step } of eachStep(document)) {
    if (step.kind !== 'email' && step.kind !== 'sms') continue;
    channels.set(step.key, step.kind);
    links.set(step.key, findLinks(step.text ?? '')[0]?.url);
  }
  // Who gets in is known: they are put in as they stand, and nobody else comes.
  const journey: Journey = { ...bounded(document), entry: { again: 'each' } };
  const until = at + days * DAY;
  const entering = people.map(({ id }, line): TimedInput => ({
    at,
    person: id,
    line,
    input: { kind: 'enter', journey: document.key, by: 'hand' }
  }));

  const run = (reactions: readonly TimedInput[]): Sent[] =>
    replay({
      journeys: [journey],
      settings,
      people: people.map(fresh),
      inputs: [...entering, ...reactions].sort((a, b) => a.at - b.at || a.line - b.line),
      from: at,
      until
    }).flatMap((line) =>
      line['what'] === 'sent' && typeof line['step'] === 'string' && channels.has(line['step'])
        ? [{ at: Date.parse(line.at), person: line.person, step: line['step'] }]
        : []
    );

  const react = (sent: readonly Sent[]): TimedInput[] =>
    sent.flatMap(({ at: when, person, step }, i): TimedInput[] => {
      if (channels.get(step) !== 'email') return [];
      const say = (name: string, after: number, more: object = {}): TimedInput => ({
        at: when + after,
        person,
        line: people.length + i,
        of: { step },
        input: { kind: 'happening', happening: { name, at: when + after, ...more } as never }
      });
      const link = links.get(step);
      return [say('opened', HOUR), ...(link === undefined ? [] : [say('clicked', HOUR + MINUTE, { link })])];
    });

  const quiet = run([]);
  let lively = quiet;
  for (let round = 0; round < MOST_ROUNDS; round++) {
    const next = run(react(lively).filter((r) => r.at <= until));
    const same =
      next.length === lively.length && next.every((s, i) => s.at === lively[i]?.at && s.step === lively[i].step);
    lively = next;
    if (same) break;
  }
  const count = (sent: readonly Sent[], day: number, channel: Channel): number =>
    sent.filter((s) => Math.floor((s.at - at) / DAY) === day && channels.get(s.step) === channel).length;
  return Array.from({ length: days }, (__, day) => {
    const of = (channel: Channel): [number, number] => {
      const both = [count(quiet, day, channel), count(lively, day, channel)];
      return [Math.min(...both), Math.max(...both)];
    };
    return { day, email: of('email'), sms: of('sms') };
  });
}
