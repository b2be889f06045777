/** Conditions and comparisons, each against a value; happening filters, each against a happening. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  happens,
  HOUR,
  journey,
  mail,
  MONDAY,
  reachable,
  run,
  short,
  tagged,
  wait,
  did as reacts
} from '../../tests/make.ts';
import type { Happening } from '../person/happening.ts';
import { parseAmount } from '../person/amount.ts';
import { type FieldValue, FIELD_TYPES } from '../person/values.ts';
import { compileSettings } from '../settings/workspace.ts';
import type { Walk } from '../walk/walk.ts';
import {
  COMPARISON_KEYS,
  compileAmount,
  compileComparison,
  FITS,
  typeMismatches,
  type Comparison
} from './comparison.ts';
import { compileCondition } from './evaluate.ts';
import { compileFilter, happeningSchema, type HappeningFilter } from './happening.ts';
import { conditionSchema, type Condition } from './schema.ts';

/** Monday 1 March 2027, 09:00 UTC. */
const holds = (c: Comparison, v: FieldValue | undefined, zone = 'UTC') => compileComparison(c)(v, MONDAY, zone);

describe('comparisons', () => {
  it.each<[Comparison, FieldValue | undefined, boolean]>([
    [{ is: 'Moor' }, 'moor', true],
    [{ is: 'Moor' }, 'moors', false],
    [{ is: 3 }, 3, true],
    [{ is: 3 }, '3', false],
    [{ is: true }, true, true],
    [{ not: 'Moor' }, 'moor', false],
    [{ not: 'Moor' }, 'x', true],
    [{ set: true }, '', false],
    [{ set: true }, 0, true],
    [{ set: true }, false, true],
    [{ set: true }, [], false],
    [{ set: false }, '', true],
    [{ in: ['a', 'B'] }, 'b', true],
    [{ in: [1, 2] }, 3, false],
    [{ notIn: ['a'] }, 'b', true],
    [{ notIn: ['a'] }, 'A', false],
    [{ contains: 'OO' }, 'Moor', true],
    [{ contains: 'x' }, 'Moor', false],
    [{ startsWith: 'mo' }, 'Moor', true],
    [{ startsWith: 'oo' }, 'Moor', false],
    [{ gt: 3 }, 3, false],
    [{ gte: 3 }, 3, true],
    [{ lt: 3 }, 3, false],
    [{ lte: 3 }, 3, true],
    [{ gte: 3, lt: 5 }, 5, false],
    [{ gte: 3, lt: 5 }, 4.9, true],
    [{ gt: 3 }, 'many', false],
    [{ before: '2027-03-02' }, '2027-03-01', true],
    [{ before: '2027-03-01' }, '2027-03-01', false],
    [{ after: '2027-03-01' }, '2027-03-01', false],
    [{ after: '2027-02-28' }, '2027-03-01', true],
    [{ before: '2027-03-01T10:00:00Z' }, '2027-03-01T09:59:59.999Z', true],
    [{ after: '2027-03-01T10:00:00+01:00' }, '2027-03-01T09:00:00.000Z', false],
    [{ is: '2027-03-01T10:00:00+01:00' }, '2027-03-01T09:00:00.000Z', true],
    [{ last: 'P2D' }, '2027-03-01', true],
    [{ last: 'P2D' }, '2027-02-27', true],
    [{ last: 'P2D' }, '2027-02-26', false],
    [{ last: 'P2D' }, '2027-03-02', false],
    [{ next: 'P2D' }, '2027-03-01', true],
    [{ next: 'P2D' }, '2027-03-03', true],
    [{ next: 'P2D' }, '2027-03-04', false],
    [{ next: 'P2D' }, '2027-02-28', false],
    [{ last: 'P1M' }, '2027-02-01', true],
    [{ last: 'P1M' }, '2027-01-31', false],
    [{ last: 'P2D' }, '2027-02-27T09:00:00.000Z', false],
    [{ last: 'P2D' }, '2027-02-27T09:00:00.001Z', true],
    [{ last: 'P2D' }, '2027-03-01T09:00:00.000Z', true],
    [{ next: 'PT2H' }, '2027-03-01T11:00:00.000Z', false],
    [{ next: 'PT2H' }, '2027-03-01T10:59:59.999Z', true],
    [{ dayIs: true }, '1990-03-01', true],
    [{ dayIs: true }, '1990-03-02', false],
    [{ dayIs: true }, '2027-03-01T23:00:00.000Z', true],
    [{ has: 'Planets' }, ['planets', 'history'], true],
    [{ has: 'deep sky' }, ['planets'], false],
    [{ hasAll: ['a', 'b'] }, ['b', 'a', 'c'], true],
    [{ hasAll: ['a', 'b'] }, ['a'], false],
    [{ hasNone: ['a', 'b'] }, ['c'], true],
    [{ hasNone: ['a', 'b'] }, ['c', 'B'], false],
    [{ is: ['b', 'a'] }, ['a', 'b'], true]
  ])('%j of %j is %s', (c, v, expected) => expect(holds(c, v)).toBe(expected));

  it('days are counted in the zone', () => {
    // In Apia it is already 22:00 on Monday, in Honolulu 23:00 on Sunday.
    expect(holds({ dayIs: true }, '1990-02-28', 'Pacific/Honolulu')).toBe(true);
    expect(holds({ last: 'P1D' }, '2027-03-01', 'Pacific/Honolulu')).toBe(false);
    expect(holds({ next: 'P1D' }, '2027-03-01', 'Pacific/Honolulu')).toBe(true);
    expect(holds({ before: '2027-03-01' }, '2027-03-01T02:00:00.000Z', 'America/New_York')).toBe(true);
  });

  it('29 February is 28 February in other years', () => {
    const on = (day: string) => compileComparison({ dayIs: true })('2024-02-29', Date.parse(`${day}T12:00:00Z`), 'UTC');
    expect([on('2027-02-28'), on('2027-03-01'), on('2028-02-28'), on('2028-02-29')]).toEqual([
      true,
      false,
      false,
      true
    ]);
  });

  it('without a value only set: false, not, notIn and hasNone hold', () => {
    const each: Comparison[] = [
      { is: 'x' },
      { not: 'x' },
      { set: true },
      { set: false },
      { in: ['x'] },
      { notIn: ['x'] },
      { contains: '' },
      { startsWith: '' },
      { gt: -1 },
      { gte: -1 },
      { lt: 1 },
      { lte: 1 },
      { before: '2030-01-01' },
      { after: '2000-01-01' },
      { last: 'P99Y' },
      { next: 'P99Y' },
      { dayIs: true },
      { has: 'x' },
      { hasAll: ['x'] },
      { hasNone: ['x'] }
    ];
    expect(each.filter((c) => holds(c, undefined))).toEqual([
      { not: 'x' },
      { set: false },
      { notIn: ['x'] },
      { hasNone: ['x'] }
    ]);
    expect(new Set(each.flatMap((c) => Object.keys(c)))).toEqual(new Set(COMPARISON_KEYS));
  });

  it('fit the types of the published table, and no others', () => {
    const table = Object.fromEntries(
      FIELD_TYPES.map((type) => [type, COMPARISON_KEYS.filter((key) => FITS[key].includes(type))])
    );
    expect(table).toEqual({
      text: ['is', 'not', 'set', 'in', 'notIn', 'contains', 'startsWith'],
      number: ['is', 'not', 'set', 'in', 'notIn', 'gt', 'gte', 'lt', 'lte'],
      date: ['is', 'not', 'set', 'in', 'notIn', 'before', 'after', 'last', 'next', 'dayIs'],
      instant: ['is', 'not', 'set', 'before', 'after', 'last', 'next', 'dayIs'],
      yesno: ['is', 'not', 'set'],
      choice: ['is', 'not', 'set', 'in', 'notIn'],
      choices: ['is', 'not', 'set', 'has', 'hasAll', 'hasNone']
    });
    expect(typeMismatches({ is: 'x', gt: 3 }, 'number').map((m) => m.key)).toEqual(['is']);
    expect(typeMismatches({ contains: 'x' }, 'date').map((m) => m.key)).toEqual(['contains']);
  });

  it('amounts are exact to four places', () => {
    expect(parseAmount('0.1')! + parseAmount('0.2')!).toBe(parseAmount('0.3'));
    expect(compileAmount({ is: '0.3' })(3000)).toBe(true);
    expect([
      parseAmount('1.23456'),
      parseAmount('1e3'),
      parseAmount(''),
      parseAmount('1,5'),
      parseAmount('-2.5')
    ]).toEqual([null, null, null, null, -25_000]);
    expect(parseAmount(0.0001)).toBe(1);
  });
});

describe('a condition and its negation', () => {
  const leaf = fc.constantFrom<Condition>(
    { tag: 'a' },
    { list: 'l' },
    { segment: 's' },
    { consent: 'email' },
    { field: 'town', is: 'Moor' },
    { field: 'n', gte: 3 },
    { score: 'interest', gt: 5 },
    { rung: 'warm' },
    { spent: { gte: '10' } },
    { orders: { gt: 0 }, last: 'P1Y' },
    { did: 'opened' },
    { did: 'opened', of: 'a', times: { gte: 2 } },
    { walking: 'try' },
    { came: 'hand' }
  );
  const { condition } = fc.letrec<{ condition: Condition }>((tie) => ({
    condition: fc.oneof(
      { maxDepth: 3 },
      leaf,
      fc.array(tie('condition'), { minLength: 1, maxLength: 3 }).map((all) => ({ all })),
      fc.array(tie('condition'), { minLength: 1, maxLength: 3 }).map((any) => ({ any })),
      tie('condition').map((not) => ({ not }))
    )
  }));
  const someone = fc
    .record({
      tag: fc.boolean(),
      town: fc.constantFrom(undefined, 'Moor', 'x'),
      n: fc.option(fc.integer({ min: 0, max: 6 })),
      points: fc.integer({ min: 0, max: 9 }),
      consent: fc.boolean()
    })
    .map((s) =>
      reachable('p1', (p) => {
        if (s.tag) p.tags.add('a');
        if (s.town) p.fields.set('town', s.town);
        if (s.n !== null) p.fields.set('n', s.n);
        p.scores.set('interest', s.points);
        if (!s.consent) p.consent = {};
      })
    );
  it('never agree, and all of them can be written and read', () => {
    const workspace = compileSettings(null);
    fc.assert(
      fc.property(condition, someone, (c, person) => {
        expect(conditionSchema.safeParse(c).success).toBe(true);
        const asked = { person, walk: null, at: MONDAY, zone: 'UTC', workspace };
        const [yes, no] = [compileCondition(c, 'try')(asked), compileCondition({ not: c }, 'try')(asked)];
        expect(yes).toBe(!no);
      }),
      { numRuns: 300 }
    );
  });
});

describe('what someone did', () => {
  const asks = (when: Condition, lane = [mail('a'), wait('w', 'P2D')]) =>
    journey([
      ...lane,
      {
        key: 'b',
        kind: 'branch',
        by: 'rules',
        lanes: [{ label: 'yes', when, lane: [] }],
        otherwise: { label: 'no', lane: [] }
      }
    ]);
  const took = (when: Condition, said: Parameters<typeof run>[1] = []) =>
    short(run(asks(when), [...said, tagged('in')])).find((l) => l.startsWith('took'));
  const buys = (after: number, amount: number | string, items: object[] = [], order = `o${after}`) =>
    happens('purchased', after, { order, amount, items });
  const back = (after: number, order: string, more: object = {}) => happens('refunded', after, { order, ...more });
  const mug = { sku: 'mug', category: 'gifts', price: 4, quantity: 2 };
  const map = { sku: 'map', category: 'maps', price: '2.5', quantity: 1 };
  it.each<[string, Condition, Parameters<typeof run>[1], string]>([
    ['with this walk’s message', { did: 'opened', of: 'a' }, [reacts('opened', 'a', HOUR)], 'yes'],
    ['so many times', { did: 'opened', of: 'a', times: { gte: 2 } }, [reacts('opened', 'a', HOUR)], 'no'],
    [
      'so many times, it is',
      { did: 'opened', of: 'a', times: { gte: 2 } },
      [reacts('opened', 'a', HOUR), reacts('opened', 'a', 2 * HOUR)],
      'yes'
    ],
    ['never', { did: 'opened', of: 'a', times: { is: 0 } }, [], 'yes'],
    [
      'lately: the window ends exclusively',
      { did: 'opened', of: 'a', last: 'P1D' },
      [reacts('opened', 'a', 24 * HOUR)],
      'no'
    ],
    ['lately', { did: 'opened', of: 'a', last: 'P1D' }, [reacts('opened', 'a', 24 * HOUR + 1)], 'yes'],
    ['ever, with any message', { did: 'opened' }, [happens('opened', -HOUR, { channel: 'sms' })], 'yes'],
    ['ever, of one channel', { did: 'opened', channel: 'email' }, [happens('opened', -HOUR, { channel: 'sms' })], 'no'],
    [
      'ever, something else than a message',
      { did: 'page_seen', url: '*seats*' },
      [happens('page_seen', -HOUR, { url: '/seats/4' })],
      'yes'
    ],
    ['was sent', { did: 'sent', of: 'a' }, [], 'yes'],
    ['was sent lately', { did: 'sent', of: 'a', last: 'P3D' }, [], 'yes'],
    ['was sent, but not lately', { did: 'sent', of: 'a', last: 'P2D' }, [], 'no'],
    ['was sent, by the other channel', { did: 'sent', of: 'a', channel: 'sms' }, [], 'no'],
    ['was sent anything', { did: 'sent', channel: 'email', times: { is: 1 } }, [], 'yes'],
    [
      'a machine did',
      { did: 'opened', of: 'a', machine: true },
      [reacts('opened', 'a', HOUR, { machine: true })],
      'yes'
    ],
    [
      'anyone did, machine or not',
      { did: 'opened', of: 'a', machine: 'any' },
      [reacts('opened', 'a', HOUR, { machine: true })],
      'yes'
    ],
    ['spent', { spent: { gte: 20 } }, [buys(-HOUR, '12.5'), buys(-2 * HOUR, '7.5')], 'yes'],
    [
      'spent, a refund taken off',
      { spent: { gte: 20 } },
      [buys(-3 * HOUR, '12.5'), buys(-2 * HOUR, '7.5', [], 'r'), back(-HOUR, 'r', { amount: '0.0001' })],
      'no'
    ],
    [
      'spent on one product: price times quantity',
      { spent: { is: 8 }, product: 'mug' },
      [buys(-HOUR, '10.5', [mug, map])],
      'yes'
    ],
    ['spent on one category', { spent: { is: '2.5' }, category: 'maps' }, [buys(-HOUR, '10.5', [mug, map])], 'yes'],
    [
      'product and category on one line',
      { spent: { gt: 0 }, product: 'mug', category: 'maps' },
      [buys(-HOUR, '10.5', [mug, map])],
      'no'
    ],
    [
      'an amount refunded alone does not lower a product’s sum',
      { spent: { is: 8 }, product: 'mug' },
      [buys(-2 * HOUR, '10.5', [mug, map], 'r'), back(-HOUR, 'r', { amount: 3 })],
      'yes'
    ],
    [
      'items refunded do',
      { spent: { is: 4 }, product: 'mug' },
      [buys(-2 * HOUR, '10.5', [mug, map], 'r'), back(-HOUR, 'r', { items: [{ ...mug, quantity: 1 }] })],
      'yes'
    ],
    ['orders', { orders: { is: 2 } }, [buys(-HOUR, 1), buys(-2 * HOUR, 1)], 'yes'],
    [
      'a wholly refunded order is none',
      { orders: { is: 1 } },
      [buys(-3 * HOUR, 1, [], 'r'), buys(-2 * HOUR, 1), back(-HOUR, 'r')],
      'yes'
    ],
    [
      'one refunded to nothing in parts is none',
      { orders: { is: 0 } },
      [buys(-3 * HOUR, 5, [], 'r'), back(-2 * HOUR, 'r', { amount: 2 }), back(-HOUR, 'r', { amount: 3 })],
      'yes'
    ],
    [
      'orders of a product',
      { orders: { is: 1 }, product: 'map' },
      [buys(-HOUR, 8, [mug]), buys(-2 * HOUR, 3, [map])],
      'yes'
    ],
    ['orders lately', { orders: { is: 1 }, last: 'P3D' }, [buys(-24 * HOUR, 1), buys(-23 * HOUR, 1)], 'yes'],
    ['walking elsewhere', { walking: 'other' }, [], 'no'],
    ['walking here', { walking: 'try' }, [], 'yes'],
    ['not on a list', { not: { list: 'news' } }, [], 'yes']
  ])('%s', (_, when, said, expected) => expect(took(when, said)).toBe(`took b ${expected}`));
});

describe('filters', () => {
  const base: Happening = {
    name: 'clicked',
    at: MONDAY,
    channel: 'email',
    about: { walk: 1, journey: 'try', step: 'a' },
    link: 'https://quillmoor.example/a'
  };
  const walk = (id: number, more: object = {}) => ({ id, journey: 'try', ...more }) as Walk;
  it.each<[HappeningFilter, Partial<Happening>, Walk | null, boolean]>([
    [{ happening: 'clicked' }, {}, null, true],
    [{ happening: 'opened' }, {}, null, false],
    [{ happening: 'clicked', of: 'a' }, {}, walk(1), true],
    [{ happening: 'clicked', of: 'a' }, {}, walk(2), false],
    [{ happening: 'clicked', of: 'a' }, {}, null, true],
    [{ happening: 'clicked', of: 'b' }, {}, walk(1), false],
    [
      { happening: 'clicked', of: 'a', journey: 'other' },
      { about: { walk: 9, journey: 'other', step: 'a' } },
      walk(1),
      true
    ],
    [{ happening: 'clicked', of: 'a' }, { about: { walk: 1, journey: 'other', step: 'a' } }, walk(1), false],
    [{ happening: 'clicked', channel: 'sms' }, {}, null, false],
    [{ happening: 'clicked', link: 'https://quillmoor.example/A' }, {}, null, false],
    [{ happening: 'clicked' }, { machine: true }, null, false],
    [{ happening: 'clicked', machine: true }, { machine: true }, null, true],
    [{ happening: 'clicked', machine: true }, {}, null, false],
    [{ happening: 'clicked', machine: 'any' }, {}, null, true],
    [{ happening: 'bounced', hard: false }, { name: 'bounced' }, null, true],
    [{ happening: 'bounced', hard: true }, { name: 'bounced', hard: true }, null, true],
    [{ happening: 'purchased', coupon: 'MAY' }, { name: 'purchased', coupon: 'may' }, null, false],
    [{ happening: 'purchased', amount: { gt: 5 } }, { name: 'purchased', amount: '5.0001' }, null, true],
    [
      { happening: 'purchased', product: 'a', category: 'y' },
      {
        name: 'purchased',
        items: [
          { sku: 'a', category: 'x' },
          { sku: 'b', category: 'y' }
        ]
      },
      null,
      false
    ],
    [
      { happening: 'purchased', same: true },
      { name: 'purchased', order: 'o', cart: 'c' },
      walk(1, { entry: { name: 'cart_left', at: 0, cart: 'c' } }),
      true
    ],
    [
      { happening: 'purchased', same: true },
      { name: 'purchased', order: 'o' },
      walk(1, { entry: { name: 'cart_left', at: 0, cart: 'c' } }),
      false
    ],
    [
      { happening: 'custom', name: 'x', same: true },
      { name: 'custom', custom: 'x', ref: 'r' },
      walk(1, { entry: { name: 'custom', at: 0, ref: 'r' } }),
      true
    ],
    [
      { happening: 'custom', name: 'x', where: { n: { gt: 2 } } },
      { name: 'custom', custom: 'x', data: { n: 3 } },
      null,
      true
    ],
    [
      { happening: 'custom', name: 'x', where: { n: { set: false } } },
      { name: 'custom', custom: 'x', data: { n: null } },
      null,
      true
    ],
    [{ happening: 'page_seen', url: '/a?*=1' }, { name: 'page_seen', url: '/a?b=1' }, null, true],
    [{ happening: 'page_seen', url: '/a?*=1' }, { name: 'page_seen', url: '/aXb=1' }, null, false],
    [{ happening: 'page_seen', url: '*' }, { name: 'page_seen', url: '' }, null, true],
    [{ happening: 'page_seen', url: '/a*b*c' }, { name: 'page_seen', url: '/abxbc' }, null, true],
    [{ happening: 'page_seen', url: '/a*b*c' }, { name: 'page_seen', url: '/axc' }, null, false],
    [{ happening: 'page_seen', url: '/ab*ba' }, { name: 'page_seen', url: '/aba' }, null, false],
    [{ happening: 'page_seen', url: '/a*b*b' }, { name: 'page_seen', url: '/ab' }, null, false],
    [{ happening: 'page_seen', url: '**/a' }, { name: 'page_seen', url: 'b/a' }, null, true],
    [{ happening: 'page_seen', url: '/a.c' }, { name: 'page_seen', url: '/abc' }, null, false],
    [
      { happening: 'field_changed', field: 'town', to: 'MOOR' },
      { name: 'field_changed', field: 'town', to: 'Moor' },
      null,
      true
    ],
    [{ happening: 'field_changed', field: 'n', to: 3 }, { name: 'field_changed', field: 'n', to: '3' }, null, false],
    [
      { happening: 'consent_changed', channel: 'email', to: 'given' },
      { name: 'consent_changed', to: 'given' },
      null,
      true
    ],
    [
      { happening: 'score_reached', score: 's', points: 5 },
      { name: 'score_reached', score: 's', before: 4, points: 5 },
      null,
      true
    ],
    [
      { happening: 'score_reached', score: 's', points: 5 },
      { name: 'score_reached', score: 's', before: 5, points: 9 },
      null,
      false
    ],
    [
      { happening: 'left', journey: 'try', as: 'early', reason: 'idle' },
      { name: 'left', journey: 'try', as: 'early', reason: 'idle' },
      null,
      true
    ],
    [{ happening: 'left', journey: 'try', as: 'finished' }, { name: 'left', journey: 'try', as: 'early' }, null, false],
    [{ happening: 'task_done', of: 'a', outcome: 'yes' }, { name: 'task_done', outcome: 'yes' }, walk(1), true]
  ])('%j', (filter, change, asks, expected) => {
    expect(happeningSchema.safeParse(filter).success).toBe(true);
    expect(compileFilter(filter, 'try')({ ...base, ...change }, asks, 'UTC')).toBe(expected);
  });

  it.each<[object]>([
    [{ happening: 'opened', link: 'x' }],
    [{ happening: 'opened', journey: 'other' }],
    [{ happening: 'replied', matches: ['!'] }],
    [{ happening: 'replied', matches: [] }],
    [{ happening: 'score_reached', score: 's' }],
    [{ happening: 'custom' }],
    [{ happening: 'purchased', amount: { gt: '1.23456' } }],
    [{ happening: 'purchased', amount: {} }],
    [{ happening: 'form_sent', where: { a: { above: 3 } } }],
    [{ happening: 'nothing' }]
  ])('refuses %j', (filter) => expect(happeningSchema.safeParse(filter).success).toBe(false));
});

it('a date in an answer is a day where the person is', () => {
  const filter = { happening: 'form_sent' as const, where: { visit: { next: 'P1D' } } };
  const sent = { name: 'form_sent', at: Date.parse('2027-03-01T23:30:00Z'), data: { visit: '2027-03-03' } };
  // In Tokyo it is 2 March already.
  expect(compileFilter(filter, 'try')(sent, null, 'Asia/Tokyo')).toBe(true);
  expect(compileFilter(filter, 'try')(sent, null, 'UTC')).toBe(false);
});

it('a long address held against many stars is answered at once', () => {
  const filter = { happening: 'page_seen' as const, url: `${'*a'.repeat(30)}*b` };
  const test = compileFilter(filter, 'try');
  expect(test({ name: 'page_seen', at: 0, url: 'a'.repeat(100_000) }, null, 'UTC')).toBe(false);
});
