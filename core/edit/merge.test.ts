import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { branch, journey, mail, put, text, wait } from '../../tests/make.ts';
import { editOf, first, wishes, type Wish } from '../../tests/random-edits.ts';
import { journeySchema, type Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { applyEdit, type Edit } from './edit.ts';
import { mergeJourneys } from './merge.ts';

const base = journey([
  mail('a'),
  wait('w', 'P2D'),
  branch('b', 'opened a', { did: 'opened', of: 'a' }, [put('keen')], [text('nudge')]),
  mail('z')
]);
const after = (...edits: Edit[]): Journey => edits.reduce((d, e) => applyEdit(d, e).document, base);
const keys = (d: Journey): string[] => eachStep(d).map((s) => s.step.key);
const subject = (key: string, text: string): Edit => ({ edit: 'patch', key, set: { subject: text } });

describe('two editions of one draft', () => {
  it.each<[string, Edit[], Edit[], Edit[]]>([
    [
      'another step each',
      [subject('a', 'Mine')],
      [subject('z', 'Theirs')],
      [subject('a', 'Mine'), subject('z', 'Theirs')]
    ],
    [
      'one step, another property each',
      [subject('a', 'Mine')],
      [{ edit: 'patch', key: 'a', set: { name: 'Theirs' } }],
      [subject('a', 'Mine'), { edit: 'patch', key: 'a', set: { name: 'Theirs' } }]
    ],
    [
      'a step added on one lane, another taken away elsewhere',
      [{ edit: 'insert', lane: ['lane'], index: 1, step: mail('new') }],
      [{ edit: 'remove', key: 'nudge' }],
      [
        { edit: 'insert', lane: ['lane'], index: 1, step: mail('new') },
        { edit: 'remove', key: 'nudge' }
      ]
    ],
    [
      'the journey’s rules and a step',
      [{ edit: 'journey', set: { purpose: 'Mine' } }],
      [subject('a', 'Theirs')],
      [{ edit: 'journey', set: { purpose: 'Mine' } }, subject('a', 'Theirs')]
    ],
    [
      'a lane added by one, a step put on another lane by the other',
      [{ edit: 'add-lane', key: 'b', label: 'third', when: { tag: 't' } }],
      [{ edit: 'insert', lane: ['lane', 2, 'otherwise', 'lane'], index: 1, step: mail('new') }],
      [
        { edit: 'insert', lane: ['lane', 2, 'otherwise', 'lane'], index: 1, step: mail('new') },
        { edit: 'add-lane', key: 'b', label: 'third', when: { tag: 't' } }
      ]
    ],
    [
      'a step moved to another lane, and changed',
      [
        {
          edit: 'move-block',
          from: { lane: ['lane'], index: 3, count: 1 },
          to: { lane: ['lane', 2, 'lanes', 0, 'lane'], index: 1 }
        }
      ],
      [subject('z', 'Theirs')],
      [
        subject('z', 'Theirs'),
        {
          edit: 'move-block',
          from: { lane: ['lane'], index: 3, count: 1 },
          to: { lane: ['lane', 2, 'lanes', 0, 'lane'], index: 1 }
        }
      ]
    ]
  ])('keep both: %s', (_, ours, theirs, expected) => {
    expect(mergeJourneys(base, after(...ours), after(...theirs))).toEqual({ document: after(...expected), both: [] });
    expect(mergeJourneys(base, after(...theirs), after(...ours)).both).toEqual([]);
  });

  it('where both changed one thing ours stays, and is said', () => {
    const { document, both } = mergeJourneys(base, after(subject('a', 'Mine')), after(subject('a', 'Theirs')));
    expect(document).toEqual(after(subject('a', 'Mine')));
    expect(both).toEqual(['email “m-a”: subject'].map(() => expect.stringContaining('subject') as string));
  });

  it('what one took away and the other changed stays, and is said', () => {
    const { document, both } = mergeJourneys(base, after(subject('a', 'Mine')), after({ edit: 'remove', key: 'a' }));
    expect(keys(document)).toContain('a');
    expect(both[0]).toMatch(/deleted by them, changed by you; it stays/);
  });

  it('what both made under one key is two steps', () => {
    const insert = (name: string): Edit => ({
      edit: 'insert',
      lane: ['lane'],
      index: 1,
      step: { ...mail('new'), name }
    });
    const { document } = mergeJourneys(base, after(insert('Mine')), after(insert('Theirs')));
    expect(
      eachStep(document)
        .flatMap(({ step }) => (/^(Mine|Theirs)$/.test(step.name ?? '') ? [step.name] : []))
        .sort()
    ).toEqual(['Mine', 'Theirs']);
    expect(new Set(keys(document)).size).toBe(keys(document).length);
  });

  it('two that were moved into each other are still there', () => {
    const two = journey([branch('x', 'l', { tag: 't' }, [], []), branch('y', 'l', { tag: 't' }, [], [])]);
    const into = (from: number, to: number): Journey =>
      applyEdit(two, {
        edit: 'move-block',
        from: { lane: ['lane'], index: from, count: 1 },
        to: { lane: ['lane', to, 'otherwise', 'lane'], index: 0 }
      }).document;
    const { document, both } = mergeJourneys(two, into(0, 1), into(1, 0));
    expect(keys(document).sort()).toEqual(['x', 'y']);
    expect(both.length).toBeGreaterThan(0);
  });
});

const edited = (list: Wish[]): Journey =>
  list.reduce((d, wish) => {
    const edit = editOf(d, wish);
    return edit ? applyEdit(d, edit).document : d;
  }, first);

it('any two editions: readable, nothing twice, nothing lost that either made, and each alone is as it was', () => {
  fc.assert(
    fc.property(wishes, wishes, (mine, other) => {
      const [ours, theirs] = [edited(mine), edited(other)];
      expect(mergeJourneys(first, ours, first)).toEqual({ document: ours, both: [] });
      expect(mergeJourneys(first, first, theirs)).toEqual({ document: theirs, both: [] });
      const { document, both } = mergeJourneys(first, ours, theirs);
      expect(journeySchema.safeParse(document).success).toBe(true);
      const all = keys(document);
      expect(new Set(all).size).toBe(all.length);
      const old = new Set(keys(first));
      for (const key of keys(theirs)) if (!old.has(key)) expect(all).toContain(key);
      // Of what both made under one key, ours has a new one.
      const own = keys(ours).filter((k) => !old.has(k)).length;
      const their = keys(theirs).filter((k) => !old.has(k));
      expect(all.filter((k) => !old.has(k) && !their.includes(k)).length).toBeGreaterThanOrEqual(
        own - keys(ours).filter((k) => their.includes(k)).length
      );
      if (JSON.stringify(ours) === JSON.stringify(theirs)) expect(both).toEqual([]);
    }),
    { numRuns: 300 }
  );
});
