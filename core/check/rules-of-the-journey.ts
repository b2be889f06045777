/** Journeys without a way in, without a goal, and texts that may go out at night. */
import type { Hours } from '../time/hours.ts';
import type { Check, Finding } from './finding.ts';
import { about } from './finding.ts';

export const noWayIn: Check = (journey) =>
  journey.entry?.on?.length || journey.entry?.date || journey.entry?.timetable
    ? []
    : [
        {
          severity: 'remark',
          check: 'no-way-in',
          step: null,
          text: 'Nobody gets in by themselves: only by hand.',
          hint: 'Say under “Everyone” which tag lets people in.'
        }
      ];

export const noGoal: Check = (journey) =>
  journey.goal || journey.leaveWhen?.length
    ? []
    : [
        {
          severity: 'remark',
          check: 'no-goal',
          step: null,
          text: 'No goal and no leave rule: those who have done what you want still get every message.',
          hint: 'Say under “Everyone” what the journey is for.'
        }
      ];

/** Hours in which nobody minds a text, where the person is. */
const DAYTIME: Hours = { from: '09:00', to: '20:00', zone: 'person' };

export const textAtNight: Check = (journey, steps) =>
  steps.flatMap((s): Finding[] => {
    if (s.step.kind !== 'sms') return [];
    const hours = s.step.hours ?? journey.hours;
    if (hours && hours !== 'any') return [];
    return [
      about(s, {
        severity: 'remark',
        check: 'text-at-night',
        text: 'This text may go out at any hour. Texts at night are answered with STOP.',
        hint: 'Use sending hours.',
        fix: journey.hours
          ? {
              label: `Send in the journey’s hours, ${journey.hours.from}–${journey.hours.to}`,
              edit: { edit: 'patch', key: s.step.key, set: { hours: undefined } }
            }
          : {
              label: `Send this journey from ${DAYTIME.from} to ${DAYTIME.to} only`,
              edit: { edit: 'journey', set: { hours: DAYTIME } }
            }
      })
    ];
  });
