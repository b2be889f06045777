/** Files with anything changed in them: read or refused with a place, never an error of ours, and what is read can be run. */
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { byHand, enters, happens, HOUR, put, reachable, run, settings, tagged } from '../../tests/make.ts';
import { findingsOf } from '../check/index.ts';
import { parseHappenings } from '../replay/happenings.ts';
import { compileSettings } from '../settings/workspace.ts';
import type { Step } from '../steps/index.ts';
import { readThrough } from '../tell/read-through.ts';
import { DEEPEST } from './depth.ts';
import { checkJourney, parseJourney, parseSettings, type PlacedProblem } from './parse.ts';

const page = readFileSync(new URL('../../docs/journey-language.md', import.meta.url), 'utf8');
const journeys = [...page.matchAll(/```json\n([\s\S]*?)```\n\n```trail/g)].map((m) =>
  byHand('try', JSON.parse(m[1]!) as Step[], {
    entry: {
      on: [{ happening: 'purchased', amount: { gte: 5 } }],
      where: { any: [{ consent: 'email' }, { field: 'visit', next: 'P9D' }] },
      date: { field: 'visit', offset: '-P3D', yearly: true },
      holdOut: 10
    },
    hours: { days: ['mon', 'tue'], from: '22:00', to: '02:00' },
    goal: { when: { happening: 'purchased', product: 'membership' }, within: 'P30D' },
    leaveWhen: [{ when: { tag: 'staff' }, reason: 'staff' }]
  })
);
const shared = settings({
  fields: [{ name: 'visit', type: 'date' }],
  segments: [
    {
      name: 'keen',
      when: {
        all: [
          { score: 'interest', gte: 5 },
          { did: 'opened', last: 'P9D' }
        ]
      }
    }
  ],
  limits: [{ channel: 'email', atMost: 1, per: 'P2D' }],
  hours: { sms: { from: '09:00', to: '20:00' } },
  ladders: [
    {
      name: 'warmth',
      counts: [{ happening: 'sent' }],
      rungs: [
        { name: 'hot', upTo: 'P2D' },
        { name: 'warm', upTo: 'P9D' }
      ],
      after: 'cold'
    }
  ],
  scores: [
    {
      name: 'interest',
      rules: [{ when: { happening: 'sent' }, add: 4, atMost: { points: 10, per: 'P1D' } }],
      decay: { by: 'half', every: 'P3D' },
      floor: 0
    }
  ]
});

const junk = fc.constantFrom<unknown>(
  ...[null, 0, -1, 1.5, '', 'x', 'P1D', 'PT0S', '-P1D', [], {}, true, '2027-02-30', 'Europe/Dublin', '25:00'],
  ...[{ tag: 'x' }, { happening: 'opened' }, { did: 'opened', of: 'thanks' }, { all: [] }, { not: { tag: 'x' } }]
);
const changes = fc.array(
  fc.record({
    at: fc.nat(),
    key: fc.nat(),
    name: fc.constantFrom('zone', 'when', 'lane', 'of', 'label', 'hours', '__proto__', 'toString'),
    what: fc.constantFrom('take out', 'replace', 'copy', 'add'),
    value: junk,
    from: fc.nat()
  }),
  { minLength: 1, maxLength: 3 }
);
type Change = (typeof changes extends fc.Arbitrary<infer T> ? T : never)[number];
type Holder = Record<string, unknown>;

const holders = (v: unknown): Holder[] =>
  typeof v === 'object' && v !== null ? [v as Holder, ...Object.values(v).flatMap(holders)] : [];

function changed<T>(document: T, list: readonly Change[]): string {
  const copy = structuredClone(document);
  for (const { at, key, name, what, value, from } of list) {
    const all = holders(copy);
    const holder = all[at % all.length]!;
    const keys = Object.keys(holder);
    const own = keys[key % Math.max(1, keys.length)] ?? name;
    if (what === 'take out') Reflect.deleteProperty(holder, own);
    else if (what === 'replace') holder[own] = value;
    else if (what === 'copy') holder[own] = structuredClone(all[from % all.length]);
    else holder[name] = value;
  }
  return JSON.stringify(copy);
}

function placed(problems: readonly PlacedProblem[]): void {
  for (const p of problems) {
    expect(p.line).toBeGreaterThan(0);
    expect(p.path).not.toBe('');
    expect(p.message).toMatch(/^(found|expected) /);
    expect(p.message).not.toMatch(/undefined|\[object/);
  }
}

it('whatever is changed in a journey and in settings', () => {
  fc.assert(
    fc.property(fc.nat(journeys.length - 1), changes, changes, fc.boolean(), (which, own, more, both) => {
      const read = parseSettings(both ? changed(shared, more) : JSON.stringify(shared));
      placed(read.problems);
      const types = compileSettings(read.settings).types;
      const { journey, problems } = parseJourney(changed(journeys[which], own), { settings: read.settings, types });
      placed(problems);
      if (!journey) return;
      findingsOf(journey);
      readThrough(journey);
      const items = [{ sku: 'membership', price: 1, quantity: 1 }];
      const said = [
        enters(journey.key),
        tagged('in', 'staff'),
        happens('purchased', HOUR, { order: '1', amount: '12.5', items })
      ];
      run([journey, byHand('other', [put('x')])], said, reachable(), 60, read.settings);
    }),
    { numRuns: 500, seed: 20270304 }
  );
});

it('brackets without end are refused, not followed', () => {
  const many = 50_000;
  const deep = `${'['.repeat(many)}${']'.repeat(many)}`;
  const told = { line: 1, message: `found ${many}, expected at most ${DEEPEST} brackets inside each other` };
  expect(parseJourney(deep).problems).toEqual([{ ...told, path: 'the document' }]);
  expect(parseSettings('['.repeat(many)).problems).toEqual([{ ...told, path: 'the document' }]);
  expect(parseHappenings(deep, { people: new Set(), journeys: new Set() }).problems).toEqual([
    { ...told, path: 'the line' }
  ]);
  let value: unknown = { tag: 'x' };
  for (let i = 0; i < many; i++) value = { not: value };
  expect(checkJourney({ entry: { where: value } }).problems).toHaveLength(1);
  // Brackets in a text are none.
  expect(
    parseJourney(JSON.stringify(byHand('try', [], { purpose: deep.slice(-900, -100) + deep.slice(0, 900) }))).problems
  ).toEqual([]);
});
