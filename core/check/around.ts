/** What a journey is held against besides itself, as far as whoever asks knows it. Absent: not known, and nothing is said of it. */
import { produce } from 'immer';
import { eachStep } from '../journey/walk-document.ts';
import { reachedAtOnce } from './at-once.ts';
import { lanesOf, type Step } from '../steps/index.ts';
import type { Journey } from '../journey/schema.ts';
import type { Settings } from '../settings/schema.ts';

export interface OtherJourney {
  key: string;
  name: string;
  /** Whether people can get into it now. */
  live: boolean;
  document: Journey;
}

export interface Around {
  /** The other journeys of the workspace, as they are live; as drafted where they never were. */
  journeys?: readonly OtherJourney[];
  settings?: Settings | null;
  /** The workspace's clock, UTC ms. */
  now?: number;
  /** Names that people have. */
  tags?: readonly string[];
  fields?: readonly string[];
  /** People who gave consent for texts. */
  canBeTexted?: number;
  /** People there are, and how many of them have no value of a field. */
  people?: number;
  without?: Readonly<Record<string, number>>;
  /** People who enter in a month, where that is known. */
  enterMonthly?: number;
}

/**
 * Of a journey only what other journeys are held against: how people get in, what it puts on them, whom it hands over, what
 * it asks. Small enough that those of a whole workspace can be sent to an open sheet.
 */
export function digestOf({ format, key, name, entry, goal, leaveWhen, lane }: Journey): Journey {
  const keep = (step: Step): Step[] => {
    if (step.kind === 'tag' || step.kind === 'list' || step.kind === 'handover' || step.kind === 'leave') return [step];
    if (!lanesOf(step).some((l) => l.when)) return [];
    return [
      produce(step, (draft) => {
        for (const opened of lanesOf(draft as Step)) opened.steps.splice(0);
      })
    ];
  };
  // What people come to at once stands before a wait, all else behind it.
  const { steps: first, ends } = reachedAtOnce({ lane });
  const rest = eachStep({ lane }).flatMap(({ step }) => (first.includes(step) ? [] : keep(step)));
  // In one lane now: whoever left one of several leaves behind what the others hold.
  const early = first.flatMap((step) => (step.kind === 'leave' ? [] : keep(step)));
  const over = early.filter((step) => step.kind === 'handover');
  const kept: Step[] = [
    ...early.filter((step) => step.kind !== 'handover'),
    ...over.map((step) => ({ ...step, stay: true })),
    ...(ends ? [{ key: 'ends', kind: 'leave' as const }] : [{ key: 'stands', kind: 'wait' as const, for: 'P1D' }]),
    ...rest
  ];
  return {
    format,
    key,
    ...(name === undefined ? {} : { name }),
    ...(entry ? { entry } : {}),
    ...(goal ? { goal } : {}),
    ...(leaveWhen ? { leaveWhen } : {}),
    lane: kept
  };
}
