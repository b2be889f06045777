/** How people get in, in words. */
import { expect, it } from 'vitest';
import { journey, put } from '../../tests/make.ts';
import type { Entry } from '../journey/schema.ts';
import { entryWords } from './condition.ts';
import { readThrough } from './read-through.ts';

it.each<[Entry, string, string]>([
  [{ on: [{ happening: 'tag_added', tag: 'keen' }] }, 'in: tag keen, once', 'Whoever gets the tag keen enters, once.'],
  [{}, 'in: by hand only, once', 'People are put in by hand, once each.'],
  [{ again: 'each' }, 'in: by hand only, each time', 'People are put in by hand, each time.'],
  [
    {
      on: [
        { happening: 'tag_added', tag: 'keen' },
        { happening: 'purchased', product: 'map' }
      ],
      again: 'restart'
    },
    'in: tag keen or buy map, from the beginning each time',
    'Those who get the tag keen or buy map enter, from the beginning each time.'
  ],
  [
    { timetable: { weekdays: ['mon', 'fri'], time: '10:30' } },
    'in: each Monday and Friday at 10:30, again once they have left',
    'They enter each Monday and Friday at 10:30, again once they have left.'
  ],
  [
    { timetable: { monthDay: 2, time: '09:00' }, again: 'once' },
    'in: on the 2nd of each month at 09:00, once',
    'They enter on the 2nd of each month at 09:00, once.'
  ],
  [
    { date: { field: 'visit', offset: '-P10D' }, holdOut: 5 },
    'in: 10 days before visit, once',
    'They enter 10 days before visit, once. 5 % of them are held out: watched, and sent nothing.'
  ],
  [
    { date: { field: 'birthday', yearly: true, time: '09:00' } },
    'in: on birthday, every year at 09:00, again once they have left',
    'They enter on birthday, every year at 09:00, again once they have left.'
  ],
  [
    { date: { on: '2027-05-01' }, on: [{ happening: 'tag_added', tag: 'keen' }] },
    'in: tag keen or on 2027-05-01, once',
    'Whoever gets the tag keen enters, and everybody enters on 2027-05-01, once.'
  ]
])('%j', (entry, short, sentence) => {
  expect(entryWords(entry)).toBe(short);
  expect(readThrough(journey([put('x')], { entry }))[0]?.text).toBe(sentence);
});
