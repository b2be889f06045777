/** Messages that are not finished: no subject, no words, personal fields that cannot be filled in. */
import { templateProblem } from '../message/personal.ts';
import type { Check, Finding } from './finding.ts';
import { about } from './finding.ts';

const blank = (text: string | undefined): boolean => !text?.trim();

export const emptySubject: Check = (_journey, steps) =>
  steps.flatMap((s): Finding[] =>
    s.step.kind === 'email' && s.step.message === undefined && blank(s.step.subject)
      ? [
          about(s, {
            severity: 'blocker',
            check: 'empty-subject',
            text: 'This email has no subject.',
            hint: 'Write a subject.'
          })
        ]
      : []
  );

export const emptyText: Check = (_journey, steps) =>
  steps.flatMap((s): Finding[] => {
    if ((s.step.kind !== 'email' && s.step.kind !== 'sms') || !blank(s.step.text)) return [];
    if (s.step.message !== undefined || (s.step.kind === 'email' && s.step.blocks?.length)) return [];
    const what = s.step.kind === 'email' ? 'email' : 'text';
    return [
      about(s, {
        severity: 'blocker',
        check: 'empty-text',
        text: `This ${what} has no words.`,
        hint: `Write the ${what}.`
      })
    ];
  });

export const brokenPersonalField: Check = (_journey, steps) =>
  steps.flatMap((s): Finding[] => {
    if (s.step.kind !== 'email' && s.step.kind !== 'sms') return [];
    const parts = s.step.kind === 'email' ? [s.step.subject, s.step.preview, s.step.text] : [s.step.text];
    const problem = parts.map((p) => templateProblem(p ?? '')).find((p) => p !== null);
    if (!problem) return [];
    return [
      about(s, {
        severity: 'blocker',
        check: 'broken-personal-field',
        text: `A personal field cannot be read: ${problem}.`,
        hint: 'Write it as {{ person.first_name | default: "there" }}.'
      })
    ];
  });
