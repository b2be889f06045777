/** tag: put labels on, take labels off. */
import { z } from 'zod';
import { rule, texts } from '../journey/rule.ts';
import { and } from '../tell/words.ts';
import { atOnce, byCode, switchable, counted, goOn, labelled, MOST_LABELS, noLanes, type StepKind } from './base.ts';
import { naming } from '../text/text.ts';

export const tagSchema = z
  .strictObject({
    ...switchable,
    kind: z.literal('tag'),
    add: z.array(naming()).max(MOST_LABELS).optional(),
    remove: z.array(naming()).max(MOST_LABELS).optional(),
    clearOthers: z.boolean().optional()
  })
  .refine(
    (s) => !s.add?.some((tag) => s.remove?.includes(tag)),
    rule<{ add: unknown; remove: unknown }>(
      'expected no tag in both "add" and "remove"',
      (s) => texts(s.add) && texts(s.remove)
    )
  );
export type TagStep = z.infer<typeof tagSchema>;

export const tag: StepKind<TagStep> = {
  does: 'put a label on, or take one off',
  reads: (_step, facts) => void (facts.tags = true),
  reaches: null,
  lacks(step) {
    const all = [...(step.add ?? []), ...(step.remove ?? [])];
    return all.length && all.every((t) => t.trim()) ? null : ['This step has no tag chosen.', 'Choose or make a tag.'];
  },
  create: (key) => ({ key, kind: 'tag', add: [] }),
  lanes: noLanes,
  run(step, here, { person }) {
    const add = step.add ?? [];
    const remove = step.remove ?? [];
    const others = step.clearOthers
      ? [...person.tags].filter((t) => !add.includes(t) && !remove.includes(t)).sort(byCode)
      : [];
    return goOn(here, { do: 'label', fact: 'tag', what: 'tagged', add, remove: [...remove, ...others] });
  },
  card: (step) => {
    const add = step.add ?? [];
    const remove = step.remove ?? [];
    const line = [add.length ? 'add tag' : '', remove.length ? `take off ${remove.join(', ')}` : ''].filter(Boolean);
    return { title: step.name || add.join(', ') || remove.join(', ') || 'Tag', line: line.join(', ') || 'no tag yet' };
  },
  tell: (step) => {
    const parts = [];
    if (step.add?.length) parts.push(`get the tag ${and(step.add)}`);
    if (step.remove?.length) parts.push(`lose the tag ${and(step.remove)}`);
    if (step.clearOthers) parts.push('lose all other tags');
    return parts.length ? `They ${parts.join(' and ')}.` : 'They get a tag that is not chosen yet.';
  },
  carried: { words: { add: 'puts on', remove: 'takes off' } },
  lasts: atOnce,
  done: 'tagged',
  figure: counted('tagged'),
  trail: { tagged: labelled('Tagged') }
};
