/** Random journeys over the whole language, for properties of the replay. */
import fc from 'fast-check';
import type { Condition } from '../core/condition/schema.ts';
import type { Entry, Journey } from '../core/journey/schema.ts';
import type { Settings } from '../core/settings/schema.ts';
import type { TimedInput } from '../core/replay/happenings.ts';
import type { PersonState } from '../core/person/state.ts';
import type { Step } from '../core/steps/index.ts';
import { journey, MONDAY, reachable, settings } from './make.ts';

const HOURS = 3_600_000;
type Make = (next: () => number, messages: string[]) => Step;
const tags = fc.constantFrom('x', 'y');

const condition: fc.Arbitrary<Condition> = fc.constantFrom<Condition>(
  { tag: 'x' },
  { not: { tag: 'y' } },
  { consent: 'sms' },
  { score: 'interest', gte: 5 },
  { rung: 'hot' },
  { segment: 'keen' },
  { did: 'page_seen', last: 'P3D' },
  { did: 'page_seen', since: 'entry' },
  { not: { did: 'opened', since: 'entry', channel: 'email' } },
  { spent: { gte: 5 }, since: 'entry' },
  { did: 'purchased', same: true },
  { did: 'sent', channel: 'email', times: { gte: 2 } },
  { field: 'visit', next: 'P9D' },
  { orders: { gte: 1 }, last: 'P30D' },
  { came: 'tag_added' }
);

const plain: fc.Arbitrary<Make> = fc.oneof(
  fc.constantFrom<Make>(
    (n, m) => keep(m, { key: `m${n()}`, kind: 'email', subject: 's', text: 't' }),
    (n, m) => keep(m, { key: `m${n()}`, kind: 'sms', text: 't', over: 'skip' }),
    (n, m) => keep(m, { key: `m${n()}`, kind: 'email', subject: 's', text: 't', service: true, hours: 'any' }),
    (n) => ({ key: `w${n()}`, kind: 'wait', for: 'P1D' }),
    (n) => ({ key: `w${n()}`, kind: 'wait', for: 'PT90M', hours: { from: '10:00', to: '16:00' } }),
    (n) => ({ key: `w${n()}`, kind: 'wait', until: { weekdays: ['tue', 'fri'], time: '16:30' } }),
    (n) => ({ key: `w${n()}`, kind: 'wait', until: { field: 'visit', offset: '-P1D', past: 'skip' } }),
    (n) => ({ key: `f${n()}`, kind: 'field', set: { n: { add: 1 }, visit: { now: true } } }),
    (n) => ({ key: `s${n()}`, kind: 'score', score: 'interest', add: 4 }),
    (n, m) => keep(m, { key: `k${n()}`, kind: 'task', title: 'Call', await: { limit: 'P2D' } }),
    (n, m) => keep(m, { key: `k${n()}`, kind: 'task', title: 'Call' }),
    (n) => ({ key: `c${n()}`, kind: 'consent', channel: 'sms', state: 'withdrawn' }),
    (n) => ({ key: `c${n()}`, kind: 'consent', channel: 'email', state: 'pending' }),
    (n) => ({ key: `y${n()}`, kind: 'notify', to: 'owner', text: 'look' }),
    (n) => ({ key: `u${n()}`, kind: 'call', url: 'http://127.0.0.1/hook' }),
    (n) => ({ key: `h${n()}`, kind: 'handover', journey: 'two', stay: true }),
    (n) => ({ key: `d${n()}`, kind: 'withdraw', from: 'others' }),
    (n) => ({ key: `l${n()}`, kind: 'list', add: ['news'] }),
    (n) => ({ key: `o${n()}`, kind: 'task', title: 'Call', await: { limit: 'P2D' }, off: true }),
    (n, m) => keep(m, { key: `m${n()}`, kind: 'email', subject: 's', text: 't', off: true }),
    (n, m) => {
      const of = m.findLast((key) => key.startsWith('k'));
      const when = { happening: 'task_done' as const, ...(of === undefined ? {} : { of }) };
      const otherwise = { label: 'not', lane: [] };
      return { key: `q${n()}`, kind: 'listen', for: [{ label: 'done', when, lane: [] }], limit: 'P2D', otherwise };
    }
  ),
  fc
    .tuple(tags, fc.boolean())
    .map(([tag, on]): Make => (n) => ({ key: `t${n()}`, kind: 'tag', ...(on ? { add: [tag] } : { remove: [tag] }) }))
);

function keep(messages: string[], step: Step): Step {
  messages.push(step.key);
  return step;
}

type MakeLane = (next: () => number, messages: string[]) => Step[];

function lane(depth: number): fc.Arbitrary<MakeLane> {
  const step: fc.Arbitrary<Make> =
    depth === 0
      ? plain
      : fc.oneof(
          { weight: 4, arbitrary: plain },
          {
            weight: 1,
            arbitrary: fc
              .tuple(condition, lane(depth - 1), lane(depth - 1), fc.constantFrom('branch', 'listen', 'split', 'bands'))
              .map(([when, yes, no, kind]): Make => (n, m) => {
                const key = `b${n()}`;
                const of = m.findLast((made) => made.startsWith('m'));
                const [first, second] = [
                  { label: 'yes', lane: yes(n, [...m]) },
                  { label: 'no', lane: no(n, [...m]) }
                ];
                if (kind === 'split')
                  return {
                    key,
                    kind: 'split',
                    lanes: [
                      { ...first, weight: 1 },
                      { ...second, weight: 2 }
                    ]
                  };
                if (kind === 'bands')
                  return {
                    key,
                    kind: 'branch',
                    by: 'bands',
                    of: { score: 'interest' },
                    cuts: [4],
                    lanes: [first, second]
                  };
                if (kind === 'branch')
                  return { key, kind: 'branch', by: 'rules', lanes: [{ ...first, when }], otherwise: second };
                const heard = of === undefined ? when : ({ happening: 'opened', of } as const);
                return { key, kind: 'listen', for: [{ ...first, when: heard }], limit: 'P2D', otherwise: second };
              })
          }
        );
  return fc.array(step, { maxLength: 5 }).map(
    (steps): MakeLane =>
      (n, m) =>
        steps.map((s) => s(n, m))
  );
}

const one = (key: string, tag: string): fc.Arbitrary<Journey> =>
  fc
    .record({
      make: lane(2),
      again: fc.constantFrom('once' as const, 'again' as const, 'restart' as const, 'each' as const),
      hours: fc.boolean(),
      goal: fc.boolean(),
      idle: fc.boolean(),
      loop: fc.boolean(),
      way: fc.constantFrom<Entry>(
        { on: [{ happening: 'tag_added', tag }] },
        { on: [{ happening: 'tag_added', tag }] },
        { on: [{ happening: 'tag_added', tag }], existing: true },
        { on: [{ happening: 'segment_joined', segment: 'keen' }], existing: true },
        {
          on: [
            { happening: 'rung_changed', to: 'hot' },
            { happening: 'score_reached', score: 'interest', points: 5 }
          ]
        },
        { on: [{ happening: 'task_done' }, { happening: 'purchased' }] },
        { date: { field: 'visit', offset: '-P2D', time: '10:00' } },
        { date: { field: 'visit', yearly: true } },
        { on: [{ happening: 'tag_added', tag }], timetable: { weekdays: ['mon'], time: '09:00', zone: 'person' } },
        { on: [{ happening: 'tag_added', tag }], date: { on: '2027-03-10' }, opens: '2027-03-03T12:00:00Z' }
      ),
      heldOut: fc.boolean()
    })
    .map(({ make, again, hours, goal, idle, loop, way, heldOut }) => {
      let n = 0;
      const steps = make(() => ++n, []);
      const first = steps[0];
      return journey(
        [...steps, ...(loop && first ? [{ key: 'end', kind: 'loop' as const, to: first.key, atMost: 2 }] : [])],
        {
          key,
          entry: { ...way, again, ...(goal && heldOut ? { holdOut: 40 } : {}) },
          ...(hours ? { hours: { from: '09:00', to: '18:00' } } : {}),
          ...(goal
            ? {
                goal: {
                  when: [{ happening: 'page_seen' as const, url: '*goal*' }, { happening: 'refunded' as const }],
                  within: 'P6D',
                  leave: false
                }
              }
            : {}),
          ...(idle ? { idle: 'P1D' } : {})
        }
      );
    });

/** Two journeys that can set each other off. */
export const anyJourneys: fc.Arbitrary<Journey[]> = fc
  .tuple(one('one', 'in'), one('two', 'x'))
  .map(([first, second]) => [
    first,
    { ...second, lane: withoutHandovers(second.lane), entry: { ...second.entry, again: 'once' } }
  ]);

/** Two journeys that begin each other without end fill a replay with nothing but runaways. */
function withoutHandovers(lane: Step[]): Step[] {
  const text = JSON.stringify(lane, (_, value: unknown) =>
    value !== null && typeof value === 'object' && 'kind' in value && value.kind === 'handover'
      ? { key: (value as unknown as Step).key, kind: 'tag', add: ['y'] }
      : value
  );
  return JSON.parse(text) as Step[];
}

export const anySettings: fc.Arbitrary<Settings> = fc.constantFrom(
  settings({}),
  settings({
    zone: 'Europe/Dublin',
    segments: [
      {
        name: 'keen',
        when: {
          any: [
            { score: 'interest', gte: 8 },
            { field: 'visit', last: 'P2D' }
          ]
        }
      }
    ],
    limits: [{ atMost: 2, per: 'P1D' }],
    hours: { sms: { from: '08:00', to: '20:00' } },
    ladders: [
      {
        name: 'warmth',
        counts: [{ happening: 'opened' }, { happening: 'page_seen' }],
        rungs: [{ name: 'hot', upTo: 'P2D' }],
        after: 'cold'
      }
    ],
    scores: [
      {
        name: 'interest',
        rules: [{ when: { happening: 'page_seen' }, add: 3, atMost: { points: 6, per: 'P1D' } }],
        decay: { by: 1, every: 'P1D' },
        ceiling: 20
      }
    ]
  })
);

export const anyPeople = (): PersonState[] => [
  reachable('p1'),
  reachable('p2', (p) => (p.fields.set('zone', 'America/New_York'), p.fields.set('visit', '2027-03-09'))),
  reachable('p3', (p) => (p.fields.delete('phone'), p.scores.set('interest', 9)))
];

/** What happens, in any order, each at an instant of its own for its person. */
export const anyInputs: fc.Arbitrary<TimedInput[]> = fc
  .array(
    fc.record({
      hours: fc.integer({ min: -24, max: 20 * 24 }),
      person: fc.constantFrom('p1', 'p2', 'p3'),
      what: fc.constantFrom('in', 'x', 'out', 'page', 'goal', 'open', 'buy', 'date', 'stop', 'done')
    }),
    { maxLength: 25 }
  )
  .map((list) =>
    list.map(({ hours, person, what }, i): TimedInput => {
      // A minute of its own each, so that nothing hangs on the order within an instant.
      const at = MONDAY + hours * HOURS + i * 60_000;
      const happening = (name: string, more: object) => ({
        kind: 'happening' as const,
        happening: { name, at, ...more }
      });
      const base = { at, person, line: i + 1 };
      switch (what) {
        case 'in':
        case 'x':
          return { ...base, input: { kind: 'set', addTags: [what] } };
        case 'out':
          return { ...base, input: { kind: 'set', removeTags: ['in', 'x'] } };
        case 'date':
          return { ...base, input: { kind: 'set', fields: { visit: '2027-03-12' } } };
        case 'page':
          return { ...base, input: happening('page_seen', { url: '/seats' }) };
        case 'goal':
          return { ...base, input: happening('page_seen', { url: '/goal/1' }) };
        case 'buy':
          return { ...base, input: happening('purchased', { order: `o${i}`, amount: 5, items: [] }) };
        case 'stop':
          return { ...base, input: happening('unsubscribed', { channel: 'email' }) };
        case 'done':
          return { ...base, of: { step: 'k1' }, input: happening('task_done', {}) };
        default:
          return { ...base, input: happening('opened', { channel: 'email' }) };
      }
    })
  );

export const BEGIN = MONDAY;
export const FINISH = MONDAY + 60 * 24 * HOURS;
