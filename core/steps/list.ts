/** list: put people on lists, take them off, or move them from one to another. */
import { z } from 'zod';
import { rule, texts } from '../journey/rule.ts';
import { and } from '../tell/words.ts';
import { atOnce, switchable, counted, goOn, labelled, MOST_LABELS, noLanes, type StepKind } from './base.ts';
import { naming } from '../text/text.ts';

export const listSchema = z
  .strictObject({
    ...switchable,
    kind: z.literal('list'),
    add: z.array(naming()).max(MOST_LABELS).optional(),
    remove: z.array(naming()).max(MOST_LABELS).optional(),
    move: z.strictObject({ from: naming(), to: naming() }).optional()
  })
  .refine(
    (s) => !s.add?.some((list) => s.remove?.includes(list)),
    rule<{ add: unknown; remove: unknown }>(
      'expected no list in both "add" and "remove"',
      (s) => texts(s.add) && texts(s.remove)
    )
  );
export type ListStep = z.infer<typeof listSchema>;

export const list: StepKind<ListStep> = {
  does: 'put on a list, or take off one',
  reads: (_step, facts) => void (facts.lists = true),
  reaches: null,
  lacks({ add = [], remove = [], move }) {
    const names = [...add, ...remove, ...(move ? [move.from, move.to] : [])];
    return names.length && names.every((name) => name.trim())
      ? null
      : ['This step has no list chosen.', 'Choose or make a list.'];
  },
  create: (key) => ({ key, kind: 'list', add: [] }),
  lanes: noLanes,
  run(step, here, { person }) {
    // Someone who is not on the list they would be moved from stays where they are.
    const moves = step.move && person.lists.has(step.move.from) ? step.move : null;
    const add = [...(step.add ?? []), ...(moves ? [moves.to] : [])];
    const remove = [...(step.remove ?? []), ...(moves && moves.from !== moves.to ? [moves.from] : [])];
    return goOn(here, { do: 'label', fact: 'list', what: 'listed', add, remove });
  },
  card: (step) => ({
    title: step.name || step.add?.join(', ') || step.move?.to || step.remove?.join(', ') || 'List',
    line: step.move
      ? `from ${step.move.from} to ${step.move.to}`
      : step.add?.length
        ? 'put on the list'
        : 'take off the list'
  }),
  tell: (step) => {
    const parts = [];
    if (step.add?.length) parts.push(`are put on the list ${and(step.add)}`);
    if (step.remove?.length) parts.push(`are taken off the list ${and(step.remove)}`);
    if (step.move) parts.push(`move from the list ${step.move.from} to ${step.move.to}, if they are on it`);
    return parts.length ? `They ${and(parts)}.` : 'They are put on a list that is not chosen yet.';
  },
  carried: { words: { add: 'puts on', remove: 'takes off' } },
  lasts: atOnce,
  done: 'listed',
  figure: counted('listed'),
  trail: { listed: labelled('Listed') }
};
