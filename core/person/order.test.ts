/** The order of things: at one instant, within a happening, between journeys; and what stops a runaway. */
import { describe, expect, it } from 'vitest';
import {
  branch,
  byHand,
  did,
  enters,
  happens,
  HOUR,
  journey,
  mail,
  MONDAY,
  put,
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
import type { Journey } from '../journey/schema.ts';
import type { TimedInput } from '../replay/happenings.ts';
import { replay } from '../replay/replay.ts';
import type { Step } from '../steps/index.ts';

const DAY = 24 * HOUR;
const on = (tag: string, more: object = {}): Partial<Journey> => ({
  entry: { on: [{ happening: 'tag_added', tag }], ...more }
});

describe('at one instant', () => {
  it('the clock, existing people, happenings in order of arrival, dates and timetables, then timers', () => {
    const shared = settings({
      ladders: [
        { name: 'warmth', counts: [{ happening: 'page_seen' }], rungs: [{ name: 'hot', upTo: 'P1D' }], after: 'cold' }
      ]
    });
    // All of it falls on Tuesday at 09:00.
    const timer = byHand('timer', [wait('w', 'P1D'), put('e')]);
    const dated = byHand('dated', [put('d')], { entry: { date: { field: 'visit', time: '09:00' } } });
    const told = byHand('told', [put('c')], on('go'));
    const existing = byHand('existing', [put('b')], {
      entry: { on: [{ happening: 'tag_added', tag: 'old' }], existing: true, opens: '2027-03-02T09:00:00Z' }
    });
    const rung = byHand('rung', [put('a')], { entry: { on: [{ happening: 'rung_changed', to: 'cold' }] } });
    const lines = run(
      [timer, dated, told, existing, rung],
      [happens('page_seen', 0, { url: '/' }), enters('timer'), { ...tagged('go'), after: DAY }],
      reachable('p1', (p) => (p.tags.add('old'), p.fields.set('visit', '2027-03-02'))),
      60,
      shared
    );
    expect(lines.filter((l) => l['what'] === 'tagged').map((l) => l['journey'])).toEqual([
      'rung',
      'existing',
      'told',
      'dated',
      'timer'
    ]);
  });

  it('happenings come in order of arrival, each finished with all it sets off before the next', () => {
    const first = byHand('first', [put('x'), mail('m')], on('a'));
    const second = byHand('second', [text('t')], on('x'));
    const third = byHand('third', [put('z')], on('b'));
    const lines = run([third, second, first], [tagged('a'), tagged('b')]);
    expect(lines.filter((l) => l['what'] === 'entered').map((l) => l['journey'])).toEqual(['first', 'second', 'third']);
  });

  it('dates in order of the journeys', () => {
    const at = (key: string) => byHand(key, [put(key)], { entry: { date: { on: '2027-03-05' } } });
    expect(
      run([at('b'), at('a')], [])
        .filter((l) => l['what'] === 'entered')
        .map((l) => l['journey'])
    ).toEqual(['b', 'a']);
  });
});

describe('one happening', () => {
  it('goes through running walks oldest first, then begins new ones, in order of the journeys', () => {
    const listens = (key: string): Journey =>
      byHand(key, [
        {
          key: 'l',
          kind: 'listen',
          for: [{ label: 'yes', when: { happening: 'tag_added', tag: 'go' }, lane: [put(key)] }],
          limit: 'P9D',
          otherwise: { label: 'no', lane: [] }
        }
      ]);
    const begins = byHand('begins', [put('new')], on('go'));
    const lines = run(
      [begins, listens('one'), listens('two')],
      [enters('two'), enters('one', HOUR), { ...tagged('go'), after: DAY }]
    );
    expect(lines.filter((l) => l['what'] === 'tagged').map((l) => l['journey'])).toEqual(['two', 'one', 'begins']);
  });

  it('what it changes at once is seen by all who look; what they set off is handled after it', () => {
    const j = journey(
      [
        {
          key: 'l',
          kind: 'listen',
          for: [{ label: 'in', when: { happening: 'consent_changed' }, lane: [] }],
          limit: 'P9D',
          otherwise: { label: 'no', lane: [] }
        }
      ],
      {
        leaveWhen: [{ when: { happening: 'unsubscribed' }, reason: 'gone' }]
      }
    );
    // Consent is withdrawn with the happening, but told of after it.
    expect(story(run(j, [tagged('in'), happens('unsubscribed', HOUR, { channel: 'email' })])).at(-1)).toBe(
      '+1h left gone'
    );
  });

  it('what entering itself earns is seen before the first step', () => {
    const earned = settings({ scores: [{ name: 'interest', rules: [{ when: { happening: 'entered' }, add: 5 }] }] });
    const j = journey([put('x')], { goal: { when: { score: 'interest', gte: 5 } } });
    expect(short(run(j, [tagged('in')], reachable(), 60, earned))).toEqual(['entered', 'left goal']);
  });

  it('a hand-over that begins after a goal has come true ends at once', () => {
    const over = journey([put('go'), { key: 'h', kind: 'handover', journey: 'two' }]);
    const other = byHand('three', [put('done')], { entry: { on: [{ happening: 'tag_added', tag: 'go' }] } });
    const two = byHand('two', [put('late')], { goal: { when: { tag: 'done' } } });
    const lines = story(run([over, two, other], [tagged('in')])).filter((l) => l.includes('two:'));
    expect(lines).toEqual(['+0 two: entered', '+0 two: left goal']);
  });

  it('goal first, then leave rules, then the listen', () => {
    const entries = [{ label: 'yes', when: { tag: 'go' }, lane: [] }];
    const listens: Step = {
      key: 'l',
      kind: 'listen',
      for: entries,
      limit: 'P9D',
      otherwise: { label: 'no', lane: [] }
    };
    const last = (rest: Partial<Journey>) =>
      story(run(journey([listens], rest), [tagged('in'), { ...tagged('go'), after: HOUR }])).find((l) =>
        l.startsWith('+1h')
      );
    const goal = { goal: { when: { tag: 'go' } } };
    const leave = { leaveWhen: [{ when: { tag: 'go' }, reason: 'rule' }] };
    expect(last({ ...goal, ...leave })).toBe('+1h left goal');
    expect(last(leave)).toBe('+1h left rule');
    expect(last({})).toBe('+1h took l yes');
  });

  it('a step’s own changes are handled when the happening in hand has been through everyone', () => {
    const first = journey([put('x'), put('y')], on('in'));
    const also = byHand('also', [put('z')], on('in'));
    const later = byHand('later', [put('late')], on('x'));
    expect(
      run([first, also, later], [tagged('in')])
        .filter((l) => l['what'] === 'entered')
        .map((l) => l['journey'])
    ).toEqual(['try', 'also', 'later']);
  });
});

describe('ambulo.set with several changes', () => {
  it('all facts change first, then each change is handled and finished before the next, in the published order', () => {
    const heard = (key: string, filter: object): Journey =>
      byHand(key, [put(key)], { entry: { on: [filter as never] } });
    const journeys = [
      heard('consent', { happening: 'consent_changed' }),
      heard('left', { happening: 'list_left' }),
      heard('joined', { happening: 'list_joined' }),
      heard('off', { happening: 'tag_removed', tag: 'old' }),
      heard('on', { happening: 'tag_added', tag: 'new' }),
      heard('field', { happening: 'field_changed' })
    ];
    const change = {
      consent: { sms: 'withdrawn' as const },
      removeLists: ['b'],
      addLists: ['a'],
      removeTags: ['old'],
      addTags: ['new'],
      fields: { town: 'Moor' }
    };
    const lines = run(
      journeys,
      [sets(0, change)],
      reachable('p1', (p) => (p.tags.add('old'), p.lists.add('b')))
    );
    expect(lines.filter((l) => l['what'] === 'entered').map((l) => l['journey'])).toEqual([
      'field',
      'on',
      'off',
      'joined',
      'left',
      'consent'
    ]);
    const sees = journey([branch('ask', 'yes', { consent: 'sms' }, [], [])], on('new'));
    expect(short(run(sees, [sets(0, change)]))).toContain('took ask others');
  });
  it('what does not change is no happening', () => {
    const heard = byHand('any', [put('x')], {
      entry: {
        on: [{ happening: 'field_changed' }, { happening: 'tag_added', tag: 'in' }, { happening: 'consent_changed' }]
      }
    });
    const same = reachable('p1', (p) => (p.tags.add('in'), p.fields.set('town', 'Moor')));
    expect(
      run(
        heard,
        [sets(0, { fields: { town: 'Moor', none: null }, addTags: ['in'], consent: { email: 'given' } })],
        same
      )
    ).toEqual([]);
  });
});

describe('runaways', () => {
  it('two journeys that set each other off without end are stopped, others are not touched', () => {
    const ping = byHand(
      'ping',
      [{ key: 'x', kind: 'tag', add: ['ping'], remove: ['pong'] }],
      on('pong', { again: 'each' })
    );
    const pong = byHand(
      'pong',
      [{ key: 'x', kind: 'tag', add: ['pong'], remove: ['ping'] }],
      on('ping', { again: 'each' })
    );
    const calm = byHand('calm', [wait('w'), put('calm')]);
    const lines = run([ping, pong, calm], [enters('calm'), { ...tagged('ping'), after: HOUR }]);
    expect(lines.filter((l) => l['reason'] === 'runaway').length).toBeGreaterThan(0);
    expect(story(lines).at(-1)).toBe('+1d calm: left finished');
    expect(lines.length).toBeLessThan(40_000);
    // The next input begins anew.
    const again = run(
      [ping, pong],
      [tagged('ping'), sets(DAY, { removeTags: ['ping', 'pong'] }), { ...tagged('pong'), after: 2 * DAY }]
    );
    expect(again.filter((l) => l['reason'] === 'runaway').length).toBeGreaterThan(1);
  });
  it('a score model that feeds itself comes to an end', () => {
    const shared = settings({
      scores: [
        {
          name: 's',
          rules: [
            { when: { happening: 'tag_added' }, add: 1 },
            { when: { happening: 'score_reached', score: 's', points: 1 }, add: 1 },
            { when: { happening: 'segment_joined' }, add: 1 }
          ]
        }
      ]
    });
    expect(story(run(journey([put('x')]), [tagged('in')], reachable(), 60, shared)).at(-1)).toBe('+0 left finished');
  });
  it('segments that turn each other over without end come to an end', () => {
    const shared = settings({
      segments: [
        { name: 'a', when: { not: { segment: 'b' } } },
        { name: 'b', when: { segment: 'a' } }
      ]
    });
    // The step that would come after ten thousand of them is not taken.
    expect(short(run(journey([put('x')]), [tagged('in')], reachable(), 3, shared))).toEqual([
      'entered',
      'left runaway'
    ]);
  });
});

describe('many people', () => {
  const enter = (person: string, at: number, line: number): TimedInput => ({
    at,
    person,
    line,
    input: { kind: 'set', addTags: ['in'] }
  });
  it('are printed by instant, then by their place, then in their own order', () => {
    const people = ['b', 'a', 'c'].map((id) => reachable(id));
    const inputs = [enter('c', MONDAY, 1), enter('a', MONDAY, 2), enter('b', MONDAY + HOUR, 3)];
    const lines = replay({
      journeys: [journey([mail('m'), wait('w', 'PT1H'), put('x')])],
      people,
      inputs,
      from: MONDAY,
      until: MONDAY + DAY
    });
    expect(lines.map((l) => `${(Date.parse(l.at) - MONDAY) / HOUR} ${l.person} ${l['what']}`)).toEqual([
      ...['a', 'c'].flatMap((p) => ['entered', 'sent', 'waiting'].map((w) => `0 ${p} ${w}`)),
      ...['entered', 'sent', 'waiting'].map((w) => `1 b ${w}`),
      ...['a', 'c'].flatMap((p) => ['tagged', 'left'].map((w) => `1 ${p} ${w}`)),
      ...['tagged', 'left'].map((w) => `2 b ${w}`)
    ]);
  });
  it('an address that bounced is suppressed for whoever has it, from that instant on', () => {
    const same = (id: string) => reachable(id, (p) => p.fields.set('email', 'Shared@people.example'));
    const inputs: TimedInput[] = [
      enter('p1', MONDAY, 1),
      {
        at: MONDAY + HOUR,
        person: 'p1',
        line: 2,
        of: { step: 'a' },
        input: { kind: 'happening', happening: { name: 'bounced', at: MONDAY + HOUR, hard: true } }
      },
      enter('p2', MONDAY + 30 * 60_000, 3),
      enter('p3', MONDAY + 2 * HOUR, 4)
    ];
    const lines = replay({
      journeys: [journey([mail('a'), text('b')])],
      people: ['p1', 'p2', 'p3'].map(same),
      inputs: inputs.sort((a, b) => a.at - b.at),
      from: MONDAY,
      until: MONDAY + DAY
    });
    expect(lines.filter((l) => l['step'] === 'a').map((l) => `${l.person} ${l['what']}`)).toEqual([
      'p1 sent',
      'p2 sent',
      'p3 skipped'
    ]);
  });
});

it('before going live happenings change facts and are recorded, but begin and move nothing', () => {
  const j = journey([branch('ask', 'yes', { did: 'page_seen', times: { is: 1 } }, [], [])], on('in'));
  const early = {
    at: MONDAY - DAY,
    input: { kind: 'happening' as const, happening: { name: 'page_seen', at: 0, url: '/' } }
  };
  expect(short(run(j, [early, { at: MONDAY - HOUR, input: { kind: 'set', addTags: ['in'] } }]))).toEqual([]);
  expect(short(run(j, [early, tagged('in')]))).toContain('took ask yes');
});

it('a walk that a happening moves into a listen is not offered that happening again', () => {
  const listens = (key: string): Step => ({
    key,
    kind: 'listen',
    for: [{ label: 'page', when: { happening: 'page_seen' }, lane: [] }],
    limit: 'P1D',
    otherwise: { label: 'no', lane: [] }
  });
  expect(
    story(run(journey([listens('l'), listens('m')]), [tagged('in'), happens('page_seen', HOUR, { url: '/' })]))
  ).toContain('+25h took m no');
  expect(
    story(
      run(journey([mail('a'), listens('l')]), [
        tagged('in'),
        did('opened', 'a', HOUR),
        happens('page_seen', 2 * HOUR, { url: '/' })
      ])
    )
  ).toContain('+2h took l page');
});
