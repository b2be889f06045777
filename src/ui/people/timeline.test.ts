import { describe, expect, it } from 'vitest';
import type { TimelineLine } from '../../../server/people/people.ts';
import { Format } from '../format.ts';
import { plural, percent, number } from '$core/tell/words.ts';
import { tell, trying } from './timeline.ts';

const format = new Format('Europe/Dublin');
const line = (
  what: string,
  detail: Record<string, unknown> = {},
  message: Partial<NonNullable<TimelineLine['message']>> | null = null
): TimelineLine => ({
  id: 't1',
  at: 0,
  what,
  detail,
  journey: 'Try',
  journeyKey: 'try',
  step: 'a',
  message: message && {
    id: 1,
    channel: 'email',
    subject: 'Hello',
    body: 'Words',
    state: 'sent',
    error: null,
    attempts: 1,
    trouble: null,
    copies: 0,
    nextTry: null,
    ...message
  }
});

describe('a timeline in words', () => {
  it.each<[TimelineLine, string]>([
    [line('entered', { by: 'tag_added' }), 'Entered by tag added'],
    [line('sent', {}, {}), 'Email Hello'],
    [line('copied', { by: 'Nuala', to: 'ada@people.example' }, {}), 'Sent again Hello — Nuala, to ada@people.example'],
    [line('sent', {}, { channel: 'sms', subject: null, body: 'Clear skies' }), 'Text Clear skies'],
    [line('waiting', { until: '2027-03-03T09:00:00.000Z' }), 'Waits until Wed 3 Mar 09:00'],
    [line('held', { until: '2027-07-01T08:00:00.000Z' }), 'Held until Thu 1 Jul 09:00, sending hours'],
    [line('took', { lane: 'opened' }), 'Took the lane opened'],
    [line('tagged', { add: ['x'], remove: ['y'] }), 'Tagged + x − y'],
    [line('tagged', { add: [], remove: [] }), 'Tagged nothing changed'],
    [line('scored', { score: 'interest', points: 5 }), 'Score interest is now 5'],
    [line('skipped', { reason: 'no-consent' }), 'Skipped a: no consent'],
    [line('refused', { reason: 'once' }), 'Not let in because of: once'],
    [line('left', { as: 'finished' }), 'Finished '],
    [line('left', { as: 'goal' }), 'Left with the goal reached '],
    [line('left', { as: 'early', reason: 'staff' }), 'Left early staff'],
    [line('consent_changed', { channel: 'sms', to: 'withdrawn' }), 'Consent text: withdrawn'],
    [line('field_changed', { field: 'town' }), 'Field town: cleared'],
    [line('bounced', { error: '550' }, {}), 'Bounced Hello · 550']
  ])('$what $detail', (l, expected) => {
    const told = tell(l, format);
    expect(`${told.what} ${told.detail}`).toBe(expected);
    expect(told.theirs).toBe(false);
  });

  it.each<[TimelineLine, string]>([
    [line('opened', {}, {}), 'Opened Hello'],
    [line('clicked', { link: 'https://q.example' }, {}), 'Followed a link https://q.example · Hello'],
    [line('replied', { text: 'Yes' }), 'Replied “Yes”'],
    [line('unsubscribed', {}, {}), 'Unsubscribed Hello']
  ])('what they did stands out: $what', (l, expected) => {
    const told = tell(l, format);
    expect(`${told.what} ${told.detail}`).toBe(expected);
    expect(told.theirs).toBe(true);
  });

  it.each<[TimelineLine, string]>([
    [
      line('sent', {}, { state: 'queued', attempts: 2, nextTry: 5 * 60_000, error: '451 later' }),
      'tried 2 times, again in 5 minutes: 451 later'
    ],
    [line('sent', {}, { state: 'failed', error: '554 no' }), 'failed: 554 no'],
    [line('sent', {}, { state: 'queued', attempts: 0 }), 'on its way'],
    [line('sent', {}, {}), ''],
    [line('waiting', {}, null), '']
  ])('what became of a message', (l, expected) => expect(trying(l, 0)).toBe(expected));
});

describe('figures and instants', () => {
  it.each([
    [0, '0'],
    [999, '999'],
    [1204, '1\u202f204'],
    [1_234_567, '1\u202f234\u202f567']
  ])('%d is %s', (n, expected) => expect(number(n)).toBe(expected));
  it('says shares and plurals', () => {
    expect(percent(0.1624)).toBe('16.2 %');
    expect(percent(0.5, 0)).toBe('50 %');
    expect([plural(1, 'person', 'people'), plural(0, 'person', 'people')]).toEqual(['1 person', '0 people']);
  });
  it('shows instants in its zone, through daylight saving', () => {
    expect(format.dateTime(Date.parse('2027-03-28T00:59:00Z'))).toBe('Sun 28 Mar 00:59');
    expect(format.dateTime(Date.parse('2027-03-28T01:00:00Z'))).toBe('Sun 28 Mar 02:00');
    expect(format.time(Date.parse('2027-03-01T09:00:00Z'), 'America/New_York')).toBe('04:00');
    expect(format.longDate(Date.parse('2027-09-01T00:00:00Z'))).toBe('Wednesday 1 September');
    expect(format.date(Date.parse('2027-09-01T00:00:00Z'))).toBe('Wed 1 Sep');
  });
});
