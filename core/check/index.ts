/** All checks. Adding one means a function in a file of its own and a name in this list. */
import type { Journey } from '../journey/schema.ts';
import { referenceProblems } from '../journey/references.ts';
import { pathText, valueAt } from '../journey/problems.ts';
import { eachStep } from '../journey/walk-document.ts';
import { isOff } from '../steps/index.ts';
import { askedTooSoon } from './asked-too-soon.ts';
import type { Around } from './around.ts';
import type { Check, Finding } from './finding.ts';
import { brokenPersonalField, emptySubject, emptyText } from './messages.ts';
import { missingStep } from './missing-step.ts';
import { noGoal, noWayIn, textAtNight } from './rules-of-the-journey.ts';
import { neverReached } from './never-reached.ts';
import { endedBefore } from './ended-before.ts';
import { sameQuestion } from './same-question.ts';
import { alwaysOrNever } from './always-or-never.ts';
import { nobodyLeaves } from './nobody-leaves.ts';
import { manyInADay } from './many-in-a-day.ts';
import { datePast } from './date-past.ts';
import { passedByThen } from './passed-by-then.ts';
import { afterTheDate } from './after-the-date.ts';
import { noFallback } from './no-fallback.ts';
import { severalParts } from './several-parts.ts';
import { noUnsubscribe } from './no-unsubscribe.ts';
import { noConsent } from './no-consent.ts';
import { smallShare } from './small-share.ts';
import { sameName } from './same-name.ts';
import { leftOver } from './left-over.ts';
import { hoursMakeDays } from './hours-make-days.ts';
import { longSubject } from './long-subject.ts';
import { unknownField } from './unknown-field.ts';
import { brokenLink, otherHost } from './links.ts';
import { replyUnheard, overlappingAnswers } from './answers.ts';
import { handedNowhere, circle, twoFromOne } from './hand-over.ts';
import { ring } from './rings.ts';
import { handedRefused } from './handed-refused.ts';
import { noAim } from './no-aim.ts';
import { oneLinkTwoWays } from './one-link-two-ways.ts';
import { tagUnread, tagUnset } from './tags-unused.ts';
import { loopForever, loopAtOnce } from './loops.ts';
import { sameLabel } from './same-label.ts';
import { turnedOff } from './turned-off.ts';
import { emptyJourney, unchosen, unchosenRules } from './unfinished.ts';

const brokenReference: Check = (journey, steps) =>
  referenceProblems(journey).flatMap((problem) => {
    const at = steps.findLast((s) => s.path.every((p, i) => problem.path[i] === p));
    // What a lane asks about and is nowhere is told by a check of its own.
    const asked = at && problem.path.at(-1) === 'of' ? valueAt(journey, problem.path) : undefined;
    if (asked !== undefined && !steps.some(({ step }) => step.key === asked)) return [];
    return {
      severity: 'blocker',
      check: 'broken-reference',
      step: at?.step.key ?? null,
      text: `${pathText(problem.path)}: ${problem.message}.`,
      hint: 'Choose a step that is there.'
    };
  });

const CHECKS: Check[] = [
  emptyJourney,
  emptySubject,
  emptyText,
  brokenPersonalField,
  unchosen,
  unchosenRules,
  brokenReference,
  missingStep,
  sameLabel,
  turnedOff,
  askedTooSoon,
  textAtNight,
  noWayIn,
  noGoal,
  neverReached,
  endedBefore,
  sameQuestion,
  alwaysOrNever,
  nobodyLeaves,
  manyInADay,
  datePast,
  passedByThen,
  afterTheDate,
  noFallback,
  severalParts,
  noUnsubscribe,
  noConsent,
  smallShare,
  sameName,
  leftOver,
  hoursMakeDays,
  longSubject,
  unknownField,
  brokenLink,
  otherHost,
  replyUnheard,
  overlappingAnswers,
  handedNowhere,
  ring,
  handedRefused,
  oneLinkTwoWays,
  noAim,
  circle,
  twoFromOne,
  tagUnread,
  tagUnset,
  loopForever,
  loopAtOnce
];

/** What all checks find, blockers first. */
export function findingsOf(journey: Journey, around: Around = {}): Finding[] {
  const steps = eachStep(journey);
  const off = new Set(steps.filter(({ step }) => isOff(step)).map(({ step }) => step.key));
  // A step that is off goes out to nobody: it may be as unfinished as it is.
  const found = CHECKS.flatMap((check) => check(journey, steps, around)).filter(
    ({ step, check }) => step === null || check === 'broken-reference' || check === 'turned-off' || !off.has(step)
  );
  return [...found.filter((f) => f.severity === 'blocker'), ...found.filter((f) => f.severity === 'remark')];
}

export { findingId, type Finding } from './finding.ts';
export type { Around } from './around.ts';
