/** What all steps share: the keys every step may carry, and what a step kind has to provide. */
import { z } from 'zod';
import type { Channel, Condition } from '../condition/schema.ts';
import type { PersonState } from '../person/state.ts';
import type { Instruction, Plan } from '../journey/compile.ts';
import type { Standing, Walk } from '../walk/walk.ts';
import type { Step } from './index.ts';

export const keySchema = z.string().regex(/^[a-z0-9-]+$/, { error: 'expected lower-case letters, digits and "-"' });

/** Keys that every step may carry. */
export const common = {
  key: keySchema,
  name: z.string().optional(),
  aim: z.string().optional(),
  note: z.string().optional()
};

/** What a step asks for. Data only: whoever runs the walk carries it out. */
export type Effect =
  | { do: 'send'; channel: Channel }
  | { do: 'tag'; add: string[]; remove: string[] }
  | { do: 'score'; score: string; add: number }
  | { do: 'note'; what: string; detail: Record<string, unknown> };

/** Where the walk goes after a step: on to an instruction (-1: the end), still here, or out. */
export type Move =
  { go: number } | { stand: Standing } | { leave: 'finished' | 'goal' | 'early' | 'stopped'; reason: string | null };

export interface StepContext {
  /** UTC ms. */
  at: number;
  /** The person's own zone, the journey's, the settings', then UTC: the first there is. */
  zone: string;
  plan: Plan;
  walk: Walk;
  person: PersonState;
  /** Whether an address may not be written to. */
  suppressed: (address: string) => boolean;
}

/** A lane that a step opens. `path` is where it stands inside the step, for messages and edits. */
export interface OpenedLane {
  label: string;
  when: Condition | null;
  steps: Step[];
  path: (string | number)[];
}

/** One kind of step: everything the core knows of it, in one place. */
export interface StepKind<S> {
  /** Shown where the kind is chosen: what it does, in a few words. */
  does: string;
  /** A new one, as the editor inserts it. */
  create: (key: string) => S;
  /** The lanes it opens, in order of the document; none for most kinds. */
  lanes: (step: S) => OpenedLane[];
  /** Takes the step. */
  run: (step: S, here: Instruction, context: StepContext) => { effects: Effect[]; move: Move };
  /** What a card shows: a name, and the one line that matters. */
  card: (step: S) => { title: string; line: string };
  /** The sentence of the read-through, without its lanes. `name` finds the title of another step. */
  tell: (step: S, name: (key: string) => string) => string;
}

/** For kinds that open no lanes. */
export const noLanes = (): OpenedLane[] => [];
