/** wait: for a length, until an instant, a weekday, a date, a field of the person. */
import { describe, expect, it } from 'vitest';
import {
  at,
  journey,
  byHand,
  enters,
  put,
  reachable,
  run,
  sets,
  short,
  story,
  tagged,
  wait,
  HOUR
} from '../../tests/make.ts';
import type { Step } from './index.ts';
import { waitSchema } from './wait.ts';

const until = (until: object, more: object = {}): Step => ({ key: 'w', kind: 'wait', until, ...more }) as Step;
const stamp = (text: string) => new Date(text).toISOString();
/** When the step behind a wait was taken, entering on Monday 1 March 2027 at 09:00 UTC. */
const reached = (
  step: Step,
  change = (_: ReturnType<typeof reachable>) => undefined as unknown,
  days = 800
): string | undefined =>
  run(
    journey([step, put('done')]),
    [tagged('in')],
    reachable('p1', (p) => void change(p)),
    days
  ).find((l) => l['what'] === 'tagged')?.['at'] as string | undefined;

describe('until', () => {
  it.each<[string, object, string]>([
    ['a time later today', { time: '16:00' }, '2027-03-01T16:00:00Z'],
    ['a time that was: tomorrow', { time: '08:59' }, '2027-03-02T08:59:00Z'],
    ['this very time: now', { time: '09:00' }, '2027-03-01T09:00:00Z'],
    ['a time elsewhere', { time: '09:00', zone: 'America/New_York' }, '2027-03-01T14:00:00Z'],
    ['a weekday', { weekdays: ['fri'], time: '16:00' }, '2027-03-05T16:00:00Z'],
    ['one of several weekdays', { weekdays: ['sun', 'wed'], time: '10:00' }, '2027-03-03T10:00:00Z'],
    ['today’s weekday, later', { weekdays: ['mon'], time: '09:30' }, '2027-03-01T09:30:00Z'],
    ['today’s weekday, too late: in a week', { weekdays: ['mon'], time: '08:00' }, '2027-03-08T08:00:00Z'],
    ['a date at its beginning', { date: '2027-03-10' }, '2027-03-10T00:00:00Z'],
    ['a date at a time', { date: '2027-03-10', time: '18:00' }, '2027-03-10T18:00:00Z'],
    ['a date that was: goes on at once', { date: '2027-02-10' }, '2027-03-01T09:00:00Z'],
    [
      'a time that daylight saving skips moves forward by the gap',
      { date: '2027-03-28', time: '01:30', zone: 'Europe/Dublin' },
      '2027-03-28T01:30:00Z'
    ],
    [
      'a time that occurs twice is the first',
      { date: '2027-10-31', time: '01:30', zone: 'Europe/Dublin' },
      '2027-10-31T00:30:00Z'
    ],
    [
      'half an hour of daylight saving',
      { date: '2027-04-04', time: '01:45', zone: 'Australia/Lord_Howe' },
      '2027-04-03T14:45:00Z'
    ],
    ['east of the date line', { date: '2027-03-10', time: '00:00', zone: 'Pacific/Kiritimati' }, '2027-03-09T10:00:00Z']
  ])('%s', (_, when, expected) => expect(reached(until(when))).toBe(stamp(expected)));

  it('counts in the person’s zone unless it names another', () => {
    const apia = (p: ReturnType<typeof reachable>) => p.fields.set('zone', 'Pacific/Apia');
    expect(reached(until({ time: '10:00' }), apia)).toBe(stamp('2027-03-01T21:00:00Z'));
    expect(reached(until({ time: '10:00', zone: 'person' }), apia)).toBe(stamp('2027-03-01T21:00:00Z'));
    expect(reached(until({ time: '10:00', zone: 'UTC' }), apia)).toBe(stamp('2027-03-01T10:00:00Z'));
  });

  it('says nothing of a wait that ends at once', () => {
    expect(short(run(journey([until({ time: '09:00' }), put('done')]), [tagged('in')]))).toEqual([
      'entered',
      'tagged put-done',
      'left finished'
    ]);
  });

  it('is followed by hours: then for the next opening', () => {
    const hours = { days: ['tue'], from: '10:00', to: '12:00' };
    expect(reached(until({ date: '2027-03-10' }, { hours }))).toBe(stamp('2027-03-16T10:00:00Z'));
    expect(reached({ ...wait('w', 'P1D'), hours } as Step)).toBe(stamp('2027-03-02T10:00:00Z'));
    expect(reached({ ...wait('w', 'P1D'), hours: 'any' } as Step)).toBe(stamp('2027-03-02T09:00:00Z'));
  });

  it('a time that a loop comes back to at that very instant is the next day’s', () => {
    const lane: Step[] = [until({ time: '12:00' }), put('x'), { key: 'again', kind: 'loop', to: 'w', atMost: 2 }];
    expect(story(run(journey(lane), [tagged('in')])).filter((l) => l.includes('tagged'))).toEqual([
      '+3h tagged put-x',
      '+27h tagged put-x',
      '+51h tagged put-x'
    ]);
  });
});

describe('until a field', () => {
  const visit = (value: string) => (p: ReturnType<typeof reachable>) => p.fields.set('visit', value);
  it.each<[string, object, string, string]>([
    ['a date, at its beginning', {}, '2027-03-20', '2027-03-20T00:00:00Z'],
    ['at a time', { time: '17:30' }, '2027-03-20', '2027-03-20T17:30:00Z'],
    ['days before it', { offset: '-P10D', time: '09:00' }, '2027-03-20', '2027-03-10T09:00:00Z'],
    ['a day after it', { offset: 'P1D' }, '2027-03-20', '2027-03-21T00:00:00Z'],
    ['no offset written as one', { offset: 'P0D', time: '08:00' }, '2027-03-20', '2027-03-20T08:00:00Z'],
    ['a time part is added after the time', { offset: '-PT2H', time: '01:00' }, '2027-03-20', '2027-03-19T23:00:00Z'],
    ['both parts', { offset: '-P1DT2H', time: '01:00' }, '2027-03-20', '2027-03-18T23:00:00Z'],
    ['a month before the 31st is the last of the month', { offset: '-P1M' }, '2027-05-31', '2027-04-30T00:00:00Z'],
    ['an instant, at its own time of day', {}, '2027-03-20T18:45:00.000Z', '2027-03-20T18:45:00Z'],
    ['an instant at another time of its day', { time: '08:00' }, '2027-03-20T18:45:00.000Z', '2027-03-20T08:00:00Z'],
    ['a day before an instant', { offset: '-P1D' }, '2027-03-20T18:45:00.000Z', '2027-03-19T18:45:00Z']
  ])('%s', (_, more, value, expected) =>
    expect(reached(until({ field: 'visit', ...more }), visit(value))).toBe(stamp(expected))
  );

  const after = [put('skipped'), put('then')];
  const past = (how: string | undefined, value: string | undefined, lane: Step[] = after) =>
    short(
      run(
        journey([until({ field: 'visit', ...(how ? { past: how } : {}) }), ...lane]),
        [tagged('in')],
        reachable('p1', (p) => void (value && p.fields.set('visit', value)))
      )
    ).slice(1);
  it.each<[string, string | undefined, string | undefined, string[]]>([
    ['passed: goes on', undefined, '2027-02-01', ['tagged put-skipped', 'tagged put-then', 'left finished']],
    [
      'passed: goes on, said out loud',
      'go-on',
      '2027-02-01',
      ['tagged put-skipped', 'tagged put-then', 'left finished']
    ],
    [
      'passed: skips the next step',
      'skip',
      '2027-02-01',
      ['skipped put-skipped past', 'tagged put-then', 'left finished']
    ],
    ['passed: leaves', 'leave', '2027-02-01', ['left w past']],
    ['empty: goes on', 'go-on', undefined, ['tagged put-skipped', 'tagged put-then', 'left finished']],
    ['empty: skips', 'skip', undefined, ['skipped put-skipped past', 'tagged put-then', 'left finished']],
    ['empty: leaves', 'leave', undefined, ['left w past']],
    [
      'the very instant is not past',
      'leave',
      '2027-03-01T09:00:00.000Z',
      ['tagged put-skipped', 'tagged put-then', 'left finished']
    ]
  ])('%s', (_, how, value, expected) => expect(past(how, value)).toEqual(expected));

  it('skips a step with all it holds, and nothing where it is the last of its lane', () => {
    const holds: Step = {
      key: 'ask',
      kind: 'branch',
      by: 'rules',
      lanes: [{ label: 'yes', when: { tag: 'in' }, lane: [put('inside')] }],
      otherwise: { label: 'no', lane: [] }
    };
    expect(past('skip', undefined, [holds, put('then')])).toEqual([
      'skipped ask past',
      'tagged put-then',
      'left finished'
    ]);
    expect(past('skip', undefined, [])).toEqual(['left finished']);
    const inLane: Step = {
      ...holds,
      lanes: [{ label: 'yes', when: { tag: 'in' }, lane: [until({ field: 'visit', past: 'skip' })] }]
    };
    expect(short(run(journey([inLane, put('then')]), [tagged('in')])).slice(1)).toEqual([
      'took ask yes',
      'tagged put-then',
      'left finished'
    ]);
  });

  const follows = (said: Parameters<typeof run>[1], more: object = {}) =>
    story(
      run(
        journey([until({ field: 'visit', ...more }), put('next'), put('done')]),
        [tagged('in'), ...said],
        reachable('p1', (p) => p.fields.set('visit', '2027-03-10'))
      )
    ).slice(1);
  it('follows the field: set anew, and said again with its new instant', () => {
    const lines = run(
      journey([until({ field: 'visit' }), put('done')]),
      [
        tagged('in'),
        sets(24 * HOUR, { fields: { visit: '2027-03-20' } }),
        sets(48 * HOUR, { fields: { visit: '2027-03-20', other: 'x' } })
      ],
      reachable('p1', (p) => p.fields.set('visit', '2027-03-10'))
    );
    expect(lines.filter((l) => l['what'] === 'waiting').map((l) => l['until'])).toEqual([
      '2027-03-10T00:00:00.000Z',
      '2027-03-20T00:00:00.000Z'
    ]);
    expect(lines.find((l) => l['what'] === 'tagged')?.at).toBe('2027-03-20T00:00:00.000Z');
  });
  it.each<[string, object, object, string[]]>([
    ['set to what is past', { fields: { visit: '2027-02-01' } }, { past: 'leave' }, ['+1d left w past']],
    [
      'cleared',
      { fields: { visit: null } },
      { past: 'skip' },
      ['+1d skipped put-next past', '+1d tagged put-done', '+1d left finished']
    ],
    [
      'cleared, go on',
      { fields: { visit: null } },
      {},
      ['+1d tagged put-next', '+1d tagged put-done', '+1d left finished']
    ]
  ])('%s', (_, change, more, expected) => expect(follows([sets(24 * HOUR, change)], more).slice(1)).toEqual(expected));

  it('follows the person’s zone as well, but not when it counts in one of its own', () => {
    const moved = sets(24 * HOUR, { fields: { zone: 'America/New_York' } });
    expect(follows([moved]).filter((l) => l.includes('waiting')).length).toBe(2);
    expect(follows([moved], { zone: 'UTC' }).filter((l) => l.includes('waiting')).length).toBe(1);
    const time = run(journey([until({ time: '20:00' }), put('done')]), [
      tagged('in'),
      sets(HOUR, { fields: { zone: 'America/New_York' } })
    ]);
    expect(time.filter((l) => l['what'] === 'waiting').length).toBe(1);
  });
});

describe('for', () => {
  it.each([
    ['PT90M', 'UTC', '2027-03-01T10:30:00Z'],
    ['P6M', 'UTC', '2027-09-01T09:00:00Z'],
    ['P1DT12H', 'UTC', '2027-03-02T21:00:00Z'],
    // Over the change to summer time two civil days are 47 hours.
    ['P28D', 'Europe/Dublin', '2027-03-29T08:00:00Z'],
    ['PT672H', 'Europe/Dublin', '2027-03-29T09:00:00Z']
  ])('%s in %s', (length, zone, expected) =>
    expect(reached(wait('w', length), (p) => p.fields.set('zone', zone))).toBe(stamp(expected))
  );

  it('the person’s zone, else the journey’s, else the settings’, else UTC', () => {
    const enter = [enters('try', 0)].map((e) => ({ ...e, at: at('2027-03-27T12:00:00Z') }));
    const when = (rest: object, zone?: string) =>
      run(
        byHand('try', [wait('w', 'P1D'), put('done')], rest),
        enter,
        reachable('p1', (p) => void (zone && p.fields.set('zone', zone)))
      ).find((l) => l['what'] === 'tagged')?.at;
    expect(when({})).toBe('2027-03-28T12:00:00.000Z');
    expect(when({ zone: 'Europe/Dublin' })).toBe('2027-03-28T11:00:00.000Z');
    expect(when({ zone: 'Europe/Dublin' }, 'UTC')).toBe('2027-03-28T12:00:00.000Z');
  });
});

it.each([
  [{ for: 'P1D', until: { time: '09:00' } }],
  [{}],
  [{ until: { weekdays: [], time: '09:00' } }],
  [{ until: { weekdays: ['mon'] } }],
  [{ until: { time: '24:00' } }],
  [{ until: { date: '2027-02-30' } }],
  [{ until: { field: '' } }],
  [{ until: { field: 'visit', offset: 'soon' } }],
  [{ until: { field: 'visit', past: 'wait' } }],
  [{ until: { time: '09:00', zone: 'Moor/Quill' } }]
])('refuses %j', (more) => expect(waitSchema.safeParse({ key: 'w', kind: 'wait', ...more }).success).toBe(false));
