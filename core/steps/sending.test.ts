/** Whether and when a message goes out: address, consent, suppression, hours, limits. */
import { describe, expect, it } from 'vitest';
import {
  at,
  byHand,
  did,
  enters,
  HOUR,
  journey,
  mail,
  MONDAY,
  reachable,
  run,
  sets,
  settings,
  short,
  story,
  tagged,
  text,
  wait
} from '../../tests/make.ts';
import type { PersonState } from '../person/state.ts';
import type { Step } from './index.ts';

const as = (step: Step, more: object): Step => ({ ...step, ...more }) as Step;
const told = (lane: Step[], change: (p: PersonState) => void, rest = {}) =>
  short(run(journey(lane, rest), [tagged('in')], reachable('p1', change)));

describe('cannot be sent', () => {
  it.each<[string, object, (p: PersonState) => void, string[]]>([
    ['no address: goes on', {}, (p) => p.fields.delete('email'), ['skipped a no-address', 'sent z', 'left finished']],
    [
      'no address: leaves',
      { cannot: 'leave' },
      (p) => p.fields.delete('email'),
      ['skipped a no-address', 'left a no-address']
    ],
    [
      'pending consent: leaves',
      { cannot: 'leave' },
      (p) => void (p.consent.email = 'pending'),
      ['skipped a no-consent', 'left a no-consent']
    ],
    [
      'go-on said out loud',
      { cannot: 'go-on' },
      (p) => void (p.consent.email = 'pending'),
      ['skipped a no-consent', 'sent z', 'left finished']
    ],
    [
      'a receipt needs no consent',
      { service: true },
      (p) => void (p.consent.email = 'withdrawn'),
      ['sent a', 'sent z', 'left finished']
    ],
    [
      'a receipt needs an address',
      { service: true },
      (p) => p.fields.delete('email'),
      ['skipped a no-address', 'sent z', 'left finished']
    ]
  ])('%s', (_, more, change, expected) =>
    expect(told([as(mail('a'), more), text('z')], change).slice(1)).toEqual(expected)
  );

  it('cannot is about address, consent and suppression only: hours and limits never make anyone leave', () => {
    const except = Array.from({ length: 400 }, (_, i) =>
      new Date(MONDAY + (i - 2) * 86_400_000).toISOString().slice(0, 10)
    );
    const never = as(mail('a'), { cannot: 'leave', hours: { from: '09:00', to: '10:00', except } });
    expect(told([never, text('z')], () => undefined).slice(1)).toEqual(['skipped a hours', 'sent z', 'left finished']);
  });

  it('a suppressed address is suppressed for whoever has it, receipts too, until the other end of time', () => {
    const steps = [mail('a'), wait('w'), as(mail('b'), { service: true }), text('c')];
    const lines = run(journey(steps), [tagged('in'), did('bounced', 'a', HOUR, { hard: true })]);
    expect(short(lines)).toEqual(['entered', 'sent a', 'waiting w', 'skipped b suppressed', 'sent c', 'left finished']);
  });

  it('a hard bounce suppresses the address the message went to, not the one they have now', () => {
    const lines = run(journey([mail('a'), wait('w'), mail('b'), text('c')]), [
      tagged('in'),
      sets(HOUR, { fields: { email: 'new@people.example' } }),
      did('bounced', 'a', 2 * HOUR, { hard: true })
    ]);
    expect(short(lines)).toContain('sent b');
  });

  it('a soft bounce suppresses nothing and moves nobody', () => {
    const lines = run(journey([mail('a'), wait('w'), mail('b')]), [
      tagged('in'),
      did('bounced', 'a', HOUR, { hard: false })
    ]);
    expect(short(lines)).toContain('sent b');
  });
});

describe('hours', () => {
  // Monday 09:00 UTC.
  const late = { from: '14:00', to: '16:00' };
  it.each<[string, object, object, object, string]>([
    ['of the journey', { hours: late }, {}, {}, '+5h sent a'],
    [
      'of the step, instead of the journey’s',
      { hours: late },
      { hours: { from: '10:00', to: '11:00' } },
      {},
      '+1h sent a'
    ],
    ['"any" of the step: none', { hours: late }, { hours: 'any' }, {}, '+0 sent a'],
    [
      'of the settings, beside the journey’s',
      { hours: { from: '08:00', to: '15:00' } },
      {},
      { hours: { email: late } },
      '+5h sent a'
    ],
    ['of the settings, whatever the step says', {}, { hours: 'any' }, { hours: { email: late } }, '+5h sent a'],
    ['of the settings for the other channel: none', {}, {}, { hours: { sms: late } }, '+0 sent a'],
    [
      'of step and settings together',
      {},
      { hours: { from: '15:30', to: '20:00' } },
      { hours: { email: late } },
      '+390m sent a'
    ],
    ['a receipt heeds hours', { hours: late }, { service: true }, {}, '+5h sent a']
  ])('%s', (_, rest, more, shared, expected) => {
    const lines = run(journey([as(mail('a'), more)], rest), [tagged('in')], reachable(), 60, settings(shared));
    expect(story(lines)).toContain(expected);
  });

  it('held: said with the instant and the reason, then all is asked again', () => {
    const lines = run(journey([mail('a')], { hours: late }), [
      tagged('in'),
      sets(HOUR, { consent: { email: 'withdrawn' } })
    ]);
    expect(lines.slice(1, 3)).toMatchObject([
      { what: 'held', step: 'a', until: '2027-03-01T14:00:00.000Z', reason: 'hours' },
      { what: 'skipped', reason: 'no-consent', at: '2027-03-01T14:00:00.000Z' }
    ]);
  });

  it('that are never open together: skipped, and the walk goes on', () => {
    const lines = run(
      journey([as(mail('a'), { hours: { days: ['mon'], from: '09:00', to: '10:00' } }), text('z')]),
      [tagged('in')],
      reachable(),
      60,
      settings({ hours: { email: { days: ['tue'], from: '09:00', to: '10:00' } } })
    );
    expect(short(lines)).toEqual(['entered', 'skipped a hours', 'sent z', 'left finished']);
  });
});

describe('limits', () => {
  const limited = (atMost: number, per: string, channel?: 'email' | 'sms') =>
    settings({ limits: [{ atMost, per, ...(channel ? { channel } : {}) }] });
  const send = (lane: Step[], shared: ReturnType<typeof settings>, rest = {}) =>
    story(run(journey(lane, rest), [tagged('in')], reachable(), 60, shared)).slice(1);

  it('hold until the window is free: exclusive end, so at the very instant', () => {
    expect(send([mail('a'), mail('b'), mail('c')], limited(2, 'P1D'))).toEqual([
      '+0 sent a',
      '+0 sent b',
      '+0 held c limit',
      '+1d sent c',
      '+1d left finished'
    ]);
  });

  it.each<[string, object, string[]]>([
    ['skip', { over: 'skip' }, ['+0 sent a', '+0 skipped b limit', '+0 left finished']],
    ['send', { over: 'send' }, ['+0 sent a', '+0 sent b', '+0 left finished']],
    ['a receipt neither heeds them', { service: true }, ['+0 sent a', '+0 sent b', '+0 left finished']]
  ])('over: %s', (_, more, expected) =>
    expect(send([mail('a'), as(mail('b'), more)], limited(1, 'P1D'))).toEqual(expected)
  );

  it('nor does a receipt use them up; what was sent over the limit does', () => {
    expect(send([as(mail('a'), { service: true }), mail('b')], limited(1, 'P1D'))[1]).toBe('+0 sent b');
    const over = [mail('a'), wait('w', 'PT12H'), as(mail('b'), { over: 'send' }), mail('c')];
    expect(send(over, limited(1, 'P1D'))).toContain('+36h sent c');
  });

  it('of one channel leave the other alone; without a channel they count all', () => {
    expect(send([mail('a'), text('b')], limited(1, 'P1D', 'email'))[1]).toBe('+0 sent b');
    expect(send([mail('a'), text('b')], limited(1, 'P1D'))[1]).toBe('+0 held b limit');
  });

  it('count over all journeys of a person', () => {
    const lines = run(
      [journey([mail('a')]), byHand('two', [mail('b')])],
      [tagged('in'), enters('two', HOUR)],
      reachable(),
      60,
      limited(1, 'P1D')
    );
    expect(story(lines)).toContain('+1d two: sent b');
  });

  it('and hours together: each may move the instant that the other allows', () => {
    const hours = { from: '08:00', to: '10:00' };
    expect(send([mail('a'), mail('b')], limited(1, 'PT12H'), { hours })).toEqual([
      '+0 sent a',
      '+0 held b limit',
      '+23h sent b',
      '+23h left finished'
    ]);
  });

  it('over: skip while hours forbid: held for the hours, the limit asked at the opening', () => {
    const skips = as(mail('b'), { over: 'skip', hours: { from: '12:00', to: '13:00' } });
    expect(send([mail('a'), skips], limited(1, 'PT3H'))).toContain('+3h sent b');
    expect(send([mail('a'), skips], limited(1, 'PT4H'))).toContain('+3h skipped b limit');
  });

  it('several windows: the longest wins', () => {
    const both = settings({
      limits: [
        { atMost: 1, per: 'PT1H' },
        { atMost: 2, per: 'P1W' }
      ]
    });
    expect(send([mail('a'), mail('b'), mail('c')], both)).toEqual([
      '+0 sent a',
      '+0 held b limit',
      '+1h sent b',
      '+1h held c limit',
      '+7d sent c',
      '+7d left finished'
    ]);
  });

  it('a limit that is free only after 366 days: skipped', () => {
    expect(send([mail('a'), mail('b')], limited(1, 'P2Y'))[1]).toBe('+0 skipped b limit');
  });

  it('the reason is the first that forbids it now: hours before limits', () => {
    const lines = send([as(mail('a'), { hours: 'any' }), mail('b')], limited(1, 'P3D'), {
      hours: { from: '12:00', to: '13:00' }
    });
    expect(lines[1]).toBe('+0 held b hours');
    expect(lines[2]).toBe('+75h sent b');
  });

  it('the settings’ hours know no zone of the journey', () => {
    const lines = run(
      byHand('try', [mail('a')], { zone: 'Asia/Tokyo' }),
      [enters('try')],
      reachable(),
      60,
      settings({ hours: { email: { from: '10:00', to: '12:00' } } })
    );
    // In Tokyo it would be 18:00 already, and open only on the next day.
    expect(story(lines)[1]).toBe('+0 held a hours');
    expect(lines[1]).toMatchObject({ until: '2027-03-01T10:00:00.000Z' });
  });

  it('windows of days are civil, in the person’s zone', () => {
    const dublin = reachable('p1', (p) => p.fields.set('zone', 'Europe/Dublin'));
    const lines = run(
      byHand('try', [mail('a'), mail('b')]),
      [{ at: at('2027-03-27T12:00:00Z'), input: { kind: 'enter', journey: 'try', by: 'hand' } }],
      dublin,
      60,
      limited(1, 'P1D')
    );
    // One civil day over the change to summer time is 23 hours.
    expect(lines.find((l) => l['step'] === 'b')).toMatchObject({ until: '2027-03-28T11:00:00.000Z' });
  });
});
