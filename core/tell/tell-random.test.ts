/** Whatever a journey is made of, it can be told, drawn and compared. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { journeys } from '../../tests/random.ts';
import { findingsOf } from '../check/index.ts';
import type { Condition } from '../condition/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { layoutSheet } from '../sheet/layout.ts';
import { changesBetween } from './changes.ts';
import { conditionWords } from './condition.ts';
import { readThrough } from './read-through.ts';
import { trailWords } from './trail.ts';
import { anyInputs, anyJourneys, anyPeople, anySettings, BEGIN, FINISH } from '../../tests/language.ts';
import { replay } from '../replay/replay.ts';

describe('random journeys', () => {
  it('are told step by step, in the order of the document, in whole sentences', () => {
    fc.assert(
      fc.property(journeys, ([journey]) => {
        const told = readThrough(journey);
        const steps = told.flatMap((s) => (s.step ? [s.step] : []));
        const keys = eachStep(journey).map((s) => s.step.key);
        expect([...new Set(steps)]).toEqual(keys);
        for (const { text, depth } of told) {
          expect(text).toMatch(/^[A-Z“].*[.:]$/);
          expect(text).not.toMatch(/undefined|null|\[object|NaN/);
          expect(depth).toBeGreaterThanOrEqual(0);
        }
      }),
      { numRuns: 200 }
    );
  });

  it('are drawn with a card for every step but waits, left to right as time goes', () => {
    fc.assert(
      fc.property(journeys, ([journey]) => {
        const layout = layoutSheet(journey.lane);
        const cards = eachStep(journey).filter((s) => s.step.kind !== 'wait');
        expect(layout.cards.map((c) => c.step.key).sort()).toEqual(cards.map((s) => s.step.key).sort());
        for (const row of layout.rows) {
          const on = layout.cards.filter((c) => layout.rows[c.row] === row).sort((a, b) => a.index - b.index);
          on.slice(1).forEach((card, i) => expect(card.x).toBeGreaterThan(on[i]!.x));
          on.slice(1).forEach((card, i) => expect(card.elapsed.max).toBeGreaterThanOrEqual(on[i]!.elapsed.max));
        }
      }),
      { numRuns: 200 }
    );
  });

  it('differ from themselves in nothing, and are never blocked by a finding nobody can place', () => {
    fc.assert(
      fc.property(journeys, ([one, two]) => {
        expect(changesBetween(one, one)).toEqual([]);
        expect(changesBetween(one, { ...two, key: one.key }).length).toBeGreaterThan(0);
        const keys = new Set(eachStep(one).map((s) => s.step.key));
        for (const finding of findingsOf(one)) {
          expect(finding.step === null || keys.has(finding.step)).toBe(true);
          expect(finding.hint).not.toBe('');
        }
      }),
      { numRuns: 100 }
    );
  });
});

describe('a trail', () => {
  it('has words for every line that any walk leaves', () => {
    const said = new Set<string>();
    fc.assert(
      fc.property(fc.tuple(anyJourneys, anySettings, anyInputs), ([all, settings, inputs]) => {
        const sorted = [...inputs].sort((a, b) => a.at - b.at || a.line - b.line);
        const people = anyPeople();
        for (const { at: _at, person: _person, journey: _journey, step: _step, what, ...detail } of replay({
          journeys: all,
          settings,
          people,
          inputs: sorted,
          from: BEGIN,
          until: FINISH
        })) {
          said.add(String(what));
          const told = trailWords(String(what), detail);
          expect(told, String(what)).not.toBeNull();
          expect(told?.join(' ')).not.toMatch(/undefined|NaN|\[object/);
        }
      }),
      { numRuns: 60, seed: 20270304 }
    );
    // Most of what there is to say was said.
    expect(said.size).toBeGreaterThan(12);
  });
});

describe('a condition and its negation', () => {
  const leaf: fc.Arbitrary<Condition> = fc.constantFrom<Condition>(
    { tag: 'keen' },
    { consent: 'email' },
    { consent: 'sms' },
    { field: 'town', is: 'Quillmoor' },
    { field: 'town', set: true },
    { did: 'opened', of: 'a' },
    { did: 'clicked', of: 'a' }
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

  it('read differently, and twice negated it reads as it did', () => {
    fc.assert(
      fc.property(condition, (c) => {
        const say = (x: Condition): string => conditionWords(x, () => 'Thank you');
        expect(say({ not: c })).not.toBe(say(c));
        expect(say({ not: { not: c } })).toBe(say(c));
      })
    );
  });
});
