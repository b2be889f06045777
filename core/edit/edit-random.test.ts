/** Whatever is done to a sheet, the document stays one that can be read, and undo leads back. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { branch, journey, mail } from '../../tests/make.ts';
import { editOf, first, wishes } from '../../tests/random-edits.ts';
import { schemaProblems } from '../journey/problems.ts';
import { referenceProblems } from '../journey/references.ts';
import { journeySchema } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { layoutSheet } from '../sheet/layout.ts';
import { applyEdit, copyOf, placeOf } from './edit.ts';
import { begin, commit, redo, undo } from './history.ts';

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
