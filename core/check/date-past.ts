/** A fixed date that is over: nobody gets in by it any more, nobody waits for it. */
import { parseDate, toWall, wallDay } from '../time/civil.ts';
import { DAY } from '../time/duration.ts';
import { timeOfDay } from '../time/hours.ts';
import { remark, type Check, type Finding } from './finding.ts';

export const datePast: Check = (journey, steps, { now }) => {
  if (now === undefined) return [];
  const zone = journey.zone ?? 'UTC';
  /** Wherever people are, it is over: zones lie at most a day apart. */
  const over = (date: string, time: string | undefined): boolean => {
    const day = parseDate(date) ?? Infinity;
    return day + (time === undefined ? 0 : timeOfDay(time)) + DAY < toWall(zone, now) || day < wallDay(zone, now) - DAY;
  };
  const entry = journey.entry?.date;
  return [
    ...(entry && 'on' in entry && over(entry.on, entry.time)
      ? [
          remark(
            null,
            'date-past',
            `Nobody gets in by date any more: ${entry.on} is over.`,
            'Choose a date that is to come.'
          )
        ]
      : []),
    ...steps.flatMap(({ step }): Finding[] =>
      step.kind === 'wait' && step.until && 'date' in step.until && over(step.until.date, step.until.time)
        ? [
            remark(
              step.key,
              'date-past',
              `Nobody waits here: ${step.until.date} is over.`,
              'Choose a date that is to come, or take the wait away.',
              { label: 'Take the wait away', edit: { edit: 'remove', key: step.key } }
            )
          ]
        : []
    )
  ];
};
