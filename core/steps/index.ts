/**
 * All kinds of step. Adding one means a file beside this one and a line in each
 * of the three lists below; the compiler names whatever else is missing.
 */
import { z } from 'zod';
import type { Elapsed } from '../time/duration.ts';
import type { OpenedLane, StepKind } from './base.ts';
import { branch, branchSchema, type BranchStep } from './branch.ts';
import { call, callSchema, type CallStep } from './call.ts';
import { consent, consentSchema, type ConsentStep } from './consent.ts';
import { email, emailSchema, type EmailStep } from './email.ts';
import { field, fieldSchema, type FieldStep } from './field.ts';
import { handover, handoverSchema, type HandoverStep } from './handover.ts';
import { leave, leaveSchema, type LeaveStep } from './leave.ts';
import { list, listSchema, type ListStep } from './list.ts';
import { listen, listenSchema, type ListenStep } from './listen.ts';
import { loop, loopSchema, type LoopStep } from './loop.ts';
import { notify, notifySchema, type NotifyStep } from './notify.ts';
import { score, scoreSchema, type ScoreStep } from './score.ts';
import { sms, smsSchema, type SmsStep } from './sms.ts';
import { split, splitSchema, type SplitStep } from './split.ts';
import { tag, tagSchema, type TagStep } from './tag.ts';
import { task, taskSchema, type TaskStep } from './task.ts';
import { wait, waitSchema, type WaitStep } from './wait.ts';
import { withdraw, withdrawSchema, type WithdrawStep } from './withdraw.ts';

export const stepSchema = z.discriminatedUnion('kind', [
  emailSchema,
  smsSchema,
  waitSchema,
  listenSchema,
  branchSchema,
  splitSchema,
  tagSchema,
  listSchema,
  fieldSchema,
  scoreSchema,
  taskSchema,
  notifySchema,
  callSchema,
  consentSchema,
  handoverSchema,
  withdrawSchema,
  loopSchema,
  leaveSchema
]);

export type Step =
  | EmailStep
  | SmsStep
  | WaitStep
  | ListenStep
  | BranchStep
  | SplitStep
  | TagStep
  | ListStep
  | FieldStep
  | ScoreStep
  | TaskStep
  | NotifyStep
  | CallStep
  | ConsentStep
  | HandoverStep
  | WithdrawStep
  | LoopStep
  | LeaveStep;

export type StepName = Step['kind'];

/** One line a kind; a kind of the schema that has no line here does not compile. */
export const STEP_KINDS: { [K in StepName]: StepKind<Extract<Step, { kind: K }>> } = {
  email,
  sms,
  wait,
  listen,
  branch,
  split,
  tag,
  list,
  field,
  score,
  task,
  notify,
  call,
  consent,
  handover,
  withdraw,
  loop,
  leave
};

export const STEP_NAMES = Object.keys(STEP_KINDS) as StepName[];

/** Trail lines that say a step was done. */
export const DONE_LINES: ReadonlySet<string> = new Set(
  Object.values(STEP_KINDS).flatMap(({ done }) => (done === null ? [] : [done]))
);

/** The behaviour of a step, typed for that step. */
export function kindOf(step: Step): StepKind<Step> {
  // The table pairs each kind with its own steps, which a plain index type cannot express.
  return STEP_KINDS[step.kind] as unknown as StepKind<Step>;
}

/** The lanes a step opens, in order of the document. */
export function lanesOf(step: Step): OpenedLane<Step>[] {
  // A lane of the schema holds steps of the schema; a kind's own file does not know the others.
  return kindOf(step).lanes(step) as OpenedLane<Step>[];
}

/** Whether a step of this kind sends a message. */
export function isMessage(step: Step): step is EmailStep | SmsStep {
  return step.kind === 'email' || step.kind === 'sms';
}

/** Whether a step is off: passed over, as if it were not there. */
export const isOff = (step: Step): boolean => 'off' in step && step.off === true;

/** Whether a step may be off: it does something, and nothing else hangs on it. */
export const canBeOff = (step: Step): boolean =>
  !lanesOf(step).length && !isWait(step) && step.kind !== 'loop' && step.kind !== 'leave';

/** How long people stand on a step, by the plan alone; `null` where they go on at once. */
export const lastsOf = (step: Step): Elapsed | null => (isOff(step) ? null : kindOf(step).lasts(step));

/** Whether a step stands between cards rather than on one of its own. */
export function isWait(step: Step): step is WaitStep {
  return step.kind === 'wait';
}
