import { describe, expect, it } from 'vitest';
import { entrySchema } from '../journey/schema.ts';
import { untilSchema } from '../steps/wait.ts';
import { entryDateText, readEntryDate, readTimetable, timetableText } from './typed-entry.ts';
import { typedUntil, untilText } from './typed-until.ts';

const around = { fields: ['visit', 'visit_time', 'birthday', 'membership_until'], today: Date.UTC(2027, 2, 10) };

describe('an instant to wait for', () => {
  it.each([
    ['9:00', { time: '09:00' }],
    ['until 16.30', { time: '16:30' }],
    ['4 pm', { time: '16:00' }],
    ['12am', { time: '00:00' }],
    ['fri 16:00', { weekdays: ['fri'], time: '16:00' }],
    ['Fridays at 4pm', { weekdays: ['fri'], time: '16:00' }],
    ['sun or mon, 9:00', { weekdays: ['mon', 'sun'], time: '09:00' }],
    ['12 May', { date: '2027-05-12' }],
    ['1 march 9:00', { date: '2028-03-01', time: '09:00' }],
    ['10 March', { date: '2027-03-10' }],
    ['May 12th, 2029', { date: '2029-05-12' }],
    ['29 feb', { date: '2028-02-29' }],
    ['2027-12-01 8:15', { date: '2027-12-01', time: '08:15' }],
    ['2d before visit', { field: 'visit', offset: '-P2D' }],
    ['2 weeks after membership 9:00', { field: 'membership_until', offset: 'P2W', time: '09:00' }],
    ['on birthday', { field: 'birthday' }],
    ['the day of Visit 18:00', { field: 'visit', time: '18:00' }],
    ['3h before concert', { field: 'concert', offset: '-PT3H' }]
  ])('%s', (typed, until) => {
    expect(typedUntil(typed, around)).toEqual({ until });
    expect(untilSchema.safeParse(until).success).toBe(true);
    // What is shown of it can be typed again.
    const again = typedUntil(untilText(until as never), around);
    expect(again && 'until' in again && untilText(again.until)).toEqual(untilText(until as never));
  });

  it.each([
    ['25:00', /no such time/],
    ['13 pm', /no such time/],
    ['fri', /at what time/],
    ['31 June', /no such day/],
    ['2027-02-30', /no such day/],
    ['a bit before visit', /how long/]
  ])('%s says what is wrong', (typed, problem) =>
    expect(typedUntil(typed, around)).toEqual({ problem: expect.stringMatching(problem) as string })
  );
  it.each(['2x', 'soon', '', 'email', 'visit', '=day 1'])('%j is none', (typed) =>
    expect(typedUntil(typed, around)).toBeNull()
  );
});

describe('ways in by the clock', () => {
  it.each([
    ['10d before visit', { field: 'visit', offset: '-P10D' }],
    ['on birthday 9:00', { field: 'birthday', time: '09:00' }],
    ['birthday', { field: 'birthday' }],
    ['12 May 2027', { on: '2027-05-12' }]
  ])('a date: %s', (typed, date) => {
    expect(readEntryDate(typed, around)).toEqual({ date });
    expect(readEntryDate(entryDateText(date), around)).toEqual({ date });
    expect(entrySchema.safeParse({ date }).success).toBe(true);
  });
  it.each([
    ['mon, fri 10:30', { weekdays: ['mon', 'fri'], time: '10:30' }],
    ['every Monday at 9:00', { weekdays: ['mon'], time: '09:00' }],
    ['1st of each month 9:00', { monthDay: 1, time: '09:00' }],
    ['31 of every month', { monthDay: 31, time: '09:00' }]
  ])('a timetable: %s', (typed, timetable) => {
    expect(readTimetable(typed)).toEqual({ timetable });
    expect(readTimetable(timetableText(timetable as never))).toEqual({ timetable });
    expect(entrySchema.safeParse({ timetable }).success).toBe(true);
  });
  it('nothing is none', () => {
    expect(readEntryDate(' ')).toEqual({ date: null });
    expect(readTimetable('')).toEqual({ timetable: null });
  });
  it.each([
    [readEntryDate, 'fri 9:00'],
    [readEntryDate, '= 3'],
    [readTimetable, '12 May'],
    [readTimetable, '32nd of each month'],
    [readTimetable, 'now and then']
  ])('%o of %s is a problem', (read, typed) => expect(read(typed)).toHaveProperty('problem'));
});
