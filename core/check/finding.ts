/** What a check says: a blocker stops a journey from going live, a remark does not. */
import type { Edit } from '../edit/edit.ts';
import type { Journey } from '../journey/schema.ts';
import type { Around } from './around.ts';
import type { PlacedStep } from '../journey/walk-document.ts';

export interface Finding {
  severity: 'blocker' | 'remark';
  /** Name of the check, stable: `empty-subject`. */
  check: string;
  /** Key of the step it is about; `null` for the journey as a whole. */
  step: string | null;
  /** What is wrong and why it matters, in one sentence. */
  text: string;
  /** What would mend it. */
  hint: string;
  /** An edit that mends it, where one can be known; it is undone like any other. */
  fix?: Fix;
}

export interface Fix {
  /** What it does, as a button says it: "Wait 2 days first". */
  label: string;
  edit: Edit;
}

/** One rule a journey is held against. */
export type Check = (journey: Journey, steps: PlacedStep[], around: Around) => Finding[];

/** A finding about one step. */
export function about(placed: PlacedStep, rest: Omit<Finding, 'step'>): Finding {
  return { ...rest, step: placed.step.key };
}

/** A remark about one step, or about the journey as a whole. */
export const remark = (step: string | null, check: string, text: string, hint: string, fix?: Fix): Finding => ({
  severity: 'remark',
  check,
  step,
  text,
  hint,
  ...(fix ? { fix } : {})
});

/** A finding by name: the same as long as its check says the same of the same step. */
export const findingId = ({ check, step, text }: Pick<Finding, 'check' | 'step' | 'text'>): string =>
  `${check}/${step ?? ''}/${text.replace(/\d+/g, '#').slice(0, 200)}`;
