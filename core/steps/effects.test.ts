/** Steps that change something: tags, lists, fields, scores, consent; hand-overs, withdrawals, loops, leaving. */
import { describe, expect, it } from 'vitest';
import {
  byHand,
  did,
  enters,
  HOUR,
  journey,
  mail,
  put,
  reachable,
  run,
  settings,
  short,
  story,
  tagged,
  wait
} from '../../tests/make.ts';
import type { Journey } from '../journey/schema.ts';
import type { PersonState } from '../person/state.ts';
import type { Settings } from '../settings/schema.ts';
import type { Step } from './index.ts';

const one = (step: object, change: (p: PersonState) => unknown = () => undefined, shared?: Settings) =>
  run(
    journey([{ key: 's', ...step } as Step]),
    [tagged('in')],
    reachable('p1', (p) => void change(p)),
    60,
    shared
  ).find((l) => l['step'] === 's');

describe('tag', () => {
  it.each<[object, string[], string[], string[]]>([
    [{ add: ['a', 'b'] }, [], ['a', 'b'], []],
    [{ add: ['b', 'a'], remove: ['x'] }, ['a', 'x'], ['b'], ['x']],
    [{ remove: ['x', 'y'] }, ['y'], [], ['y']],
    [{ add: ['a'], clearOthers: true }, ['z', 'b', 'a'], [], ['b', 'in', 'z']],
    [{}, ['a'], [], []]
  ])('%j of someone with %j', (step, has, add, remove) => {
    const line = one({ kind: 'tag', ...step }, (p) => has.forEach((t) => p.tags.add(t)));
    expect(line).toMatchObject({ what: 'tagged', add, remove });
    expect(Object.keys(line!).slice(-2)).toEqual(['add', 'remove']);
  });
});

describe('list', () => {
  it.each<[object, string[], string[], string[]]>([
    [{ add: ['news'] }, [], ['news'], []],
    [{ add: ['news'] }, ['news'], [], []],
    [{ remove: ['news'] }, ['news'], [], ['news']],
    [{ move: { from: 'a', to: 'b' } }, ['a'], ['b'], ['a']],
    [{ move: { from: 'a', to: 'b' } }, ['a', 'b'], [], ['a']],
    [{ move: { from: 'a', to: 'b' } }, ['c'], [], []]
  ])('%j of someone on %j', (step, on, add, remove) =>
    expect(one({ kind: 'list', ...step }, (p) => on.forEach((l) => p.lists.add(l)))).toMatchObject({
      what: 'listed',
      add,
      remove
    })
  );
});

describe('field', () => {
  const typed = settings({
    zone: 'America/New_York',
    fields: [
      { name: 'day', type: 'date' },
      { name: 'at', type: 'instant' },
      { name: 'n', type: 'number' },
      { name: 'likes', type: 'choices' }
    ]
  });
  it.each<[object, object, object]>([
    [{ town: 'Moor' }, {}, { town: 'Moor' }],
    [{ day: { now: true } }, {}, { day: '2027-03-01' }],
    [{ at: { now: true } }, {}, { at: '2027-03-01T09:00:00.000Z' }],
    [{ n: { add: 2 } }, { n: 5 }, { n: 7 }],
    [{ n: { add: -2 } }, {}, { n: -2 }],
    [{ likes: { include: ['b', 'a'] } }, { likes: ['a'] }, { likes: ['a', 'b'] }],
    [{ likes: { exclude: ['a', 'x'] } }, { likes: ['a', 'b'] }, { likes: ['b'] }],
    [{ likes: { include: ['a'] } }, {}, { likes: ['a'] }],
    [{ town: { clear: true } }, { town: 'Moor' }, { town: null }],
    [{ town: { clear: true } }, {}, { town: null }],
    [{ b: 1, a: true }, {}, { b: 1, a: true }]
  ])('%j of someone with %j', (set, has, fields) => {
    const line = one(
      { kind: 'field', set },
      (p) => Object.entries(has).forEach(([k, v]) => p.fields.set(k, v as string)),
      typed
    );
    expect(line).toMatchObject({ what: 'set', fields });
    expect(Object.keys(line!['fields'] as object)).toEqual(Object.keys(set));
  });
  it('a day is counted in the zone of the person, else the settings’', () => {
    const early = {
      at: Date.parse('2027-03-02T02:00:00Z'),
      input: { kind: 'enter' as const, journey: 'try', by: 'hand' }
    };
    const day = (zone?: string) =>
      run(
        byHand('try', [{ key: 's', kind: 'field', set: { day: { now: true } } }]),
        [early],
        reachable('p1', (p) => void (zone && p.fields.set('zone', zone))),
        60,
        typed
      ).find((l) => l['step'] === 's');
    expect(day()).toMatchObject({ fields: { day: '2027-03-01' } });
    expect(day('UTC')).toMatchObject({ fields: { day: '2027-03-02' } });
  });
  it('a real change is a happening, one that changes nothing is none', () => {
    const other = byHand('other', [put('heard')], {
      entry: { on: [{ happening: 'field_changed', field: 'town', to: 'moor' }] }
    });
    const sets = (town: string) =>
      run(
        [journey([{ key: 's', kind: 'field', set: { town: 'Moor' } }]), other],
        [tagged('in')],
        reachable('p1', (p) => p.fields.set('town', town))
      );
    expect(story(sets('Elsewhere'))).toContain('+0 other: entered');
    expect(story(sets('Moor'))).not.toContain('+0 other: entered');
  });
});

describe('score', () => {
  it.each<[object, number, number]>([
    [{ add: 5 }, 2, 7],
    [{ add: -5 }, 2, -3],
    [{ set: 40 }, 2, 40],
    [{ add: 0.5 }, 0, 0.5]
  ])('%j of someone with %d', (step, has, points) =>
    expect(one({ kind: 'score', score: 'interest', ...step }, (p) => p.scores.set('interest', has))).toMatchObject({
      what: 'scored',
      score: 'interest',
      points
    })
  );
});

describe('consent', () => {
  it.each<[string, string | undefined, string]>([
    ['withdrawn', 'given', 'withdrawn'],
    ['withdrawn', undefined, 'withdrawn'],
    ['pending', undefined, 'pending'],
    ['pending', 'withdrawn', 'withdrawn'],
    ['pending', 'given', 'given']
  ])('%s for someone who has it %s: in force is %s', (state, has, expected) =>
    expect(
      one({ kind: 'consent', channel: 'sms', state }, (p) => {
        if (has) p.consent.sms = has as 'given';
        else delete p.consent.sms;
      })
    ).toMatchObject({ what: 'consent', channel: 'sms', state: expected })
  );
});

it('tasks, notices and calls are said, and the walk goes on', () => {
  const lane: Step[] = [
    { key: 't', kind: 'task', title: 'Call' },
    { key: 'n', kind: 'notify', to: 'owner', text: 'Look' },
    { key: 'c', kind: 'call', url: 'https://quillmoor.example/hook' }
  ];
  expect(
    run(journey(lane), [tagged('in')]).map((l) =>
      Object.entries(l)
        .slice(2)
        .map(([, v]) => v)
    )
  ).toEqual([
    [null, 'entered', 'tag_added'],
    ['t', 'tasked'],
    ['n', 'notified'],
    ['c', 'called'],
    [null, 'left', 'finished']
  ]);
});

describe('handover', () => {
  const go = (more: object = {}): Step => ({ key: 'go', kind: 'handover', journey: 'other', ...more });
  const to = (rest: Partial<Journey> = {}, lane: Step[] = [put('there')]) => byHand('other', lane, rest);
  it('enters the other journey, after this walk has ended', () => {
    expect(story(run([journey([go(), put('never')]), to()], [tagged('in')]))).toEqual([
      '+0 entered',
      '+0 handed go',
      '+0 left go handed-over',
      '+0 other: entered',
      '+0 other: tagged put-there',
      '+0 other: left finished'
    ]);
  });
  it('with stay goes on here first, until it stands still', () => {
    expect(
      story(run([journey([go({ stay: true }), put('here'), wait('w'), put('later')]), to()], [tagged('in')])).slice(
        1,
        6
      )
    ).toEqual([
      '+0 handed go',
      '+0 tagged put-here',
      '+0 waiting w',
      '+0 other: entered',
      '+0 other: tagged put-there'
    ]);
  });
  it('a refusal is told with where to, and it goes on in its own journey', () => {
    const lines = run([journey([go(), put('here')]), to({ entry: { where: { tag: 'member' } } })], [tagged('in')]);
    expect(lines[1]).toEqual({
      at: lines[0]!.at,
      journey: 'try',
      step: 'go',
      what: 'refused',
      to: 'other',
      reason: 'where'
    });
    expect(short(lines)).toContain('tagged put-here');
  });
  it('is decided at its step: two at once to a journey entered once are one entry and one refusal', () => {
    const twice = journey([go({ stay: true }), { ...go({ stay: true }), key: 'go-2' } as Step]);
    expect(story(run([twice, to()], [tagged('in')]))).toEqual([
      '+0 entered',
      '+0 handed go',
      '+0 refused go-2 once',
      '+0 left finished',
      '+0 other: entered',
      '+0 other: tagged put-there',
      '+0 other: left finished'
    ]);
  });
  it('hands on what began this walk', () => {
    const bought = journey([go()], { entry: { on: [{ happening: 'purchased' }] } });
    const waits = to({ leaveWhen: [{ when: { happening: 'refunded', same: true }, reason: 'refunded' }] }, [
      wait('w', 'P9D')
    ]);
    const buys = (name: string, after: number, order: string) => ({
      after,
      input: { kind: 'happening' as const, happening: { name, at: 0, order, amount: 5, items: [] } }
    });
    const lines = run(
      [bought, waits],
      [
        buys('purchased', 0, 'o1'),
        buys('purchased', HOUR, 'o2'),
        buys('refunded', 2 * HOUR, 'o2'),
        buys('refunded', 3 * HOUR, 'o1')
      ]
    );
    expect(story(lines).filter((l) => l.includes('refunded'))).toEqual(['+3h other: left refunded']);
  });
  it('two journeys that hand over to each other without end are stopped', () => {
    const a = journey([go()], { entry: { on: [{ happening: 'tag_added', tag: 'in' }], again: 'each' } });
    const b = byHand('other', [{ key: 'back', kind: 'handover', journey: 'try' }], { entry: { again: 'each' } });
    const lines = run([a, b], [tagged('in')]);
    expect(lines.at(-1)).toMatchObject({ what: 'left', as: 'stopped', reason: 'runaway' });
    expect(lines.length).toBeGreaterThan(10_000);
  });
});

describe('withdraw', () => {
  const others = (lane: Step[] = [wait('w', 'P9D')]) => [byHand('a', lane), byHand('b', lane), byHand('c', lane)];
  const inside = [enters('b', 0), enters('a', HOUR), { ...tagged('in'), after: 2 * HOUR }];
  it('ends walks in other journeys, oldest first, and says which really ended', () => {
    const lines = run([journey([{ key: 'out', kind: 'withdraw', from: 'others' }, put('on')]), ...others()], inside);
    expect(lines.find((l) => l['what'] === 'withdrew')).toMatchObject({ from: ['b', 'a'] });
    expect(story(lines).slice(-6)).toEqual([
      '+2h entered',
      '+2h withdrew out',
      '+2h b: left withdrawn',
      '+2h a: left withdrawn',
      '+2h tagged put-on',
      '+2h left finished'
    ]);
  });
  it('only those named', () => {
    const lines = run([journey([{ key: 'out', kind: 'withdraw', from: ['a', 'c'] }]), ...others()], inside);
    expect(lines.find((l) => l['what'] === 'withdrew')).toMatchObject({ from: ['a'] });
    expect(story(lines)).toContain('+9d b: left finished');
  });
});

describe('loop', () => {
  const back = (to: string, more: object = {}): Step => ({ key: 'again', kind: 'loop', to, ...more });
  it('goes back at most so often, saying how many times, then goes on', () => {
    const lines = run(journey([mail('a'), wait('w'), back('a', { atMost: 2 }), put('x')]), [tagged('in')]);
    expect(lines.filter((l) => l['what'] === 'looped').map((l) => [l['to'], l['times']])).toEqual([
      ['a', 1],
      ['a', 2]
    ]);
    expect(story(lines).filter((l) => /sent|tagged/.test(l))).toEqual([
      '+0 sent a',
      '+1d sent a',
      '+2d sent a',
      '+3d tagged put-x'
    ]);
  });
  it('counts begin anew when an outer loop goes back', () => {
    const lane: Step[] = [
      put('outer'),
      wait('w', 'PT1H'),
      put('inner'),
      { key: 'in-again', kind: 'loop', to: 'put-inner', atMost: 2 },
      { key: 'out-again', kind: 'loop', to: 'put-outer', atMost: 1 }
    ];
    const loops = run(journey(lane), [tagged('in')]).filter((l) => l['what'] === 'looped');
    expect(loops.map((l) => `${l['step']} ${l['times']}`)).toEqual([
      'in-again 1',
      'in-again 2',
      'out-again 1',
      'in-again 1',
      'in-again 2'
    ]);
  });
  it('back to a step before the branch that holds it, and to that branch itself', () => {
    const lane = (to: string): Step[] => [
      mail('a'),
      wait('w'),
      {
        key: 'ask',
        kind: 'branch',
        by: 'rules',
        lanes: [{ label: 'opened', when: { did: 'opened', of: 'a' }, lane: [] }],
        otherwise: { label: 'not', lane: [wait('v'), back(to, { atMost: 1 })] }
      }
    ];
    expect(story(run(journey(lane('a')), [tagged('in')])).filter((l) => /sent|took/.test(l))).toEqual([
      '+0 sent a',
      '+1d took ask not',
      '+2d sent a',
      '+3d took ask not'
    ]);
    expect(
      story(run(journey(lane('ask')), [tagged('in'), did('opened', 'a', 25 * HOUR)])).filter((l) => /took/.test(l))
    ).toEqual(['+1d took ask not', '+2d took ask opened']);
  });
  it('without end and without a wait is stopped after a thousand steps', () => {
    const lines = run(journey([put('x'), back('put-x')]), [tagged('in')]);
    expect(lines.at(-1)).toMatchObject({ as: 'stopped', reason: 'runaway' });
    expect(lines.filter((l) => l['what'] !== 'looped' && l['step'] !== null).length).toBe(500);
  });
  it('without end but with a wait goes on for ever', () => {
    const lines = run(journey([wait('w'), back('w')]), [tagged('in')], reachable(), 30);
    expect(lines.filter((l) => l['what'] === 'looped').length).toBe(30);
  });
});

describe('leave', () => {
  it.each<[object, object]>([
    [{}, { as: 'finished', step: 's' }],
    [{ reason: 'enough' }, { as: 'finished', reason: 'enough' }],
    [{ as: 'goal' }, { as: 'goal' }]
  ])('%j', (more, expected) => {
    const lines = run(journey([{ key: 's', kind: 'leave', ...more } as Step, put('never')]), [tagged('in')]);
    expect(lines.at(-1)).toMatchObject({ what: 'left', step: 's', ...expected });
    expect(lines.length).toBe(2);
  });
  it('as the goal is a goal reached, for those who hear of it', () => {
    const other = byHand('other', [put('heard')], { entry: { on: [{ happening: 'goal_reached', journey: 'try' }] } });
    expect(story(run([journey([{ key: 's', kind: 'leave', as: 'goal' }]), other], [tagged('in')]))).toContain(
      '+0 other: entered'
    );
  });
});
