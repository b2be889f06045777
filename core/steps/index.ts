/**
 * All kinds of step. Adding one means a file beside this one and a line in each
 * of the two tables below; the compiler names whatever else is missing.
 */
import { z } from 'zod';
import type { StepKind } from './base.ts';
import { branch, branchSchema, type BranchStep } from './branch.ts';
import { email, emailSchema, type EmailStep } from './email.ts';
import { score, scoreSchema, type ScoreStep } from './score.ts';
import { sms, smsSchema, type SmsStep } from './sms.ts';
import { tag, tagSchema, type TagStep } from './tag.ts';
import { wait, waitSchema, type WaitStep } from './wait.ts';

export const stepSchema = z.discriminatedUnion('kind', [
  emailSchema,
  smsSchema,
  waitSchema,
  branchSchema,
  tagSchema,
  scoreSchema
]);

export type Step = EmailStep | SmsStep | WaitStep | BranchStep | TagStep | ScoreStep;
export type StepName = Step['kind'];

/** One line a kind; a kind of the schema that has no line here does not compile. */
export const STEP_KINDS: { [K in StepName]: StepKind<Extract<Step, { kind: K }>> } = {
  email,
  sms,
  wait,
  branch,
  tag,
  score
};

export const STEP_NAMES = Object.keys(STEP_KINDS) as StepName[];

/** The behaviour of a step, typed for that step. */
export function kindOf(step: Step): StepKind<Step> {
  // The table pairs each kind with its own steps, which a plain index type cannot express.
  return STEP_KINDS[step.kind] as unknown as StepKind<Step>;
}
