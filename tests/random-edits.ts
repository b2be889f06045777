/** Random edits that fit the document they are made in, for tests. */
import fc from 'fast-check';
import { copyOf, newStep, type Edit } from '../core/edit/edit.ts';
import type { Journey } from '../core/journey/schema.ts';
import { eachStep } from '../core/journey/walk-document.ts';
import { branch, journey, mail, put, text, wait } from './make.ts';

export const first = journey([
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

export interface Wish {
  kind: number;
  a: number;
  b: number;
}
export const wishes = fc.array(fc.record({ kind: fc.nat(9), a: fc.nat(1000), b: fc.nat(1000) }), { maxLength: 25 });

/** An edit that fits the document as it is, from three numbers. */
export function editOf(document: Journey, { kind, a, b }: Wish): Edit | null {
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
