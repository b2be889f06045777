/** Whatever is done to a sheet, the document stays one that can be read, and undo leads back. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { branch, journey, mail, put, text, wait } from '../../tests/make.ts';
import { schemaProblems } from '../journey/problems.ts';
import { referenceProblems } from '../journey/references.ts';
import { journeySchema, type Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { layoutSheet } from '../sheet/layout.ts';
import { applyEdit, copyOf, newStep, placeOf, type Edit } from './edit.ts';
import { begin, commit, redo, undo } from './history.ts';

const first = journey([
  mail('a'),
  wait('w', 'P2D'),
  branch('b', 'opened a', { did: 'opened', of: 'a' }, [put('keen')], [text('nudge')]),
  mail('z')
]);

const KINDS = ['email', 'sms', 'wait', 'branch', 'tag', 'score', 'split', 'task', 'notify', 'consent'] as const;

/** Every lane of a document, by its path. */
function lanes(document: Journey): (string | number)[][] {
  const found: (string | number)[][] = [['lane']];
  for (const { step, path } of eachStep(document)) {
    if (step.kind !== 'branch') continue;
    step.lanes.forEach((_, i) => found.push([...path, 'lanes', i, 'lane']));
    found.push([...path, 'otherwise', 'lane']);
  }
  return found;
}

interface Wish {
  kind: number;
  a: number;
  b: number;
}
const wishes = fc.array(fc.record({ kind: fc.nat(9), a: fc.nat(1000), b: fc.nat(1000) }), { maxLength: 25 });

/** An edit that fits the document as it is, from three numbers. */
function editOf(document: Journey, { kind, a, b }: Wish): Edit | null {
  const all = lanes(document);
  const lane = all[a % all.length]!;
  const steps = eachStep(document);
  const step = steps[b % Math.max(1, steps.length)]?.step;
  const length = steps.filter(
    ({ path }) => path.slice(0, -1).join() === lane.join() && path.length === lane.length + 1
  ).length;
  const index = b % (length + 1);
  switch (kind) {
    case 0:
    case 1:
      return {
        edit: 'insert',
        lane,
        index,
        step: newStep(document, KINDS[b % KINDS.length]!, lane, index)
      };
    case 2:
      return step ? { edit: 'remove', key: step.key } : null;
    case 3:
      return step ? { edit: 'move', key: step.key, by: a % 2 ? 1 : -1 } : null;
    case 4:
      return { edit: 'wait', lane, index, for: a % 3 ? `P${(a % 9) + 1}D` : null };
    case 5:
      return step ? { edit: 'insert', lane, index, step: copyOf(document, step) } : null;
    case 6:
      return step ? { edit: 'patch', key: step.key, set: { note: a % 2 ? 'Look here' : undefined } } : null;
    case 7:
      return step?.kind === 'branch'
        ? { edit: 'add-lane', key: step.key, label: 'opened a', when: { tag: 'x' } }
        : null;
    case 8:
      return step?.kind === 'branch' ? { edit: 'remove-lane', key: step.key, place: a % step.lanes.length } : null;
    default:
      return { edit: 'journey', set: { purpose: a % 2 ? `Purpose ${a}` : undefined } };
  }
}

it('stays a journey that can be read and drawn, with a key of its own for every step', () => {
  fc.assert(
    fc.property(wishes, (list) => {
      let document = first;
      for (const wish of list) {
        const edit = editOf(document, wish);
        if (edit) document = applyEdit(document, edit).document;
      }
      const read = journeySchema.safeParse(document);
      expect(read.success ? [] : schemaProblems(read.error, document)).toEqual([]);
      const keys = eachStep(document).map((s) => s.step.key);
      expect(new Set(keys).size).toBe(keys.length);
      // Taking a message out may leave questions about it; nothing else is ever broken.
      const broken = referenceProblems(document).filter((p) => !/of an email or sms step/.test(p.message));
      expect(broken).toEqual([]);
      const layout = layoutSheet(document.lane);
      expect(layout.cards.length).toBe(eachStep(document).filter((s) => s.step.kind !== 'wait').length);
    }),
    { numRuns: 300 }
  );
});

it('undo leads back to the first document, redo forward to the last, and neither changes what it kept', () => {
  fc.assert(
    fc.property(wishes, (list) => {
      let history = begin(first);
      for (const wish of list) {
        const edit = editOf(history.present, wish);
        if (!edit) continue;
        const { document, label } = applyEdit(history.present, edit);
        history = commit(history, document, label, false);
      }
      const last = JSON.stringify(history.present);
      const steps = history.past.length;
      for (let i = 0; i < steps; i++) history = undo(history);
      expect(history.present).toBe(first);
      for (let i = 0; i < steps; i++) history = redo(history);
      expect(JSON.stringify(history.present)).toBe(last);
    }),
    { numRuns: 200 }
  );
});

it('a copied block asks about its own copies, and a place is found by its key', () => {
  fc.assert(
    fc.property(fc.nat(20), (n) => {
      const block = branch('inner', 'opened m', { did: 'opened', of: 'm' }, [mail('m'), mail(`n${n}`)], []);
      const document = journey([...first.lane, block]);
      const copy = copyOf(document, block);
      const { document: after } = applyEdit(document, { edit: 'insert', lane: ['lane'], index: 0, step: copy });
      const pasted = placeOf(after, copy.key)?.step;
      expect(pasted?.kind).toBe('branch');
      if (pasted?.kind !== 'branch' || pasted.by !== 'rules') return;
      const inside = pasted.lanes[0]!.lane.map((s) => s.key);
      expect(inside).toEqual(['m-2', `n${n}-2`]);
      expect(pasted.lanes[0]!.when).toEqual({ did: 'opened', of: 'm-2' });
    })
  );
});
