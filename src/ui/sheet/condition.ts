/** What the form of a condition does to it. Pure: a condition gives a condition. */
import { MESSAGE_HAPPENINGS } from '$core/condition/happening.ts';
import type { Condition, DidCondition, FieldCondition } from '$core/condition/schema.ts';
import type { FieldValue } from '$core/person/values.ts';
import type { Nameable } from './panels/panel.ts';

/** Questions the form can ask, with their words. */
export const QUESTIONS = [
  ['did', 'did with a message'],
  ['tag', 'has the tag'],
  ['list', 'is on the list'],
  ['field', 'field'],
  ['consent', 'gave consent for']
] as const;
export type Question = (typeof QUESTIONS)[number][0];

export type Together = 'all' | 'any';
export interface Group {
  together: Together;
  parts: Condition[];
}

// Beside a field or a score, "not" is a comparison.
const isNegation = (c: Condition): c is { not: Condition } => 'not' in c && !('field' in c) && !('score' in c);
export const isField = (c: Condition): c is FieldCondition => 'field' in c && !('did' in c) && !('came' in c);

/** A condition without the "not" around it. */
export const turned = (c: Condition): { not: boolean; inner: Condition } =>
  isNegation(c) ? { not: true, inner: c.not } : { not: false, inner: c };

export const turn = (inner: Condition, not: boolean): Condition => (not ? { not: inner } : inner);

/** Several conditions together; `null` for a single question. */
export function groupOf(c: Condition): Group | null {
  if ('all' in c) return { together: 'all', parts: c.all };
  return 'any' in c ? { together: 'any', parts: c.any } : null;
}

/** Conditions together; one alone needs no group. */
export function grouped({ together, parts }: Group): Condition {
  const [only] = parts;
  if (parts.length === 1 && only) return only;
  return together === 'all' ? { all: parts } : { any: parts };
}

/** Which question a condition is; `null` for one the form cannot ask, which is kept as it is. */
export function questionOf(c: Condition): Question | null {
  if ('did' in c) return c.of === undefined || c.journey !== undefined ? null : 'did';
  if ('tag' in c) return 'tag';
  if ('list' in c) return 'list';
  if (isField(c)) return Object.keys(c).every((k) => ['field', 'is', 'not', 'set'].includes(k)) ? 'field' : null;
  return 'consent' in c ? 'consent' : null;
}

/** A question that asks nothing yet. */
export function freshQuestion(question: Question, known: Nameable): Condition {
  switch (question) {
    case 'did':
      return { did: 'opened', of: known.messages.at(-1)?.key ?? '' };
    case 'tag':
      return { tag: '' };
    case 'list':
      return { list: '' };
    case 'field':
      return { field: known.fields[0] ?? '', is: '' };
    case 'consent':
      return { consent: 'email' };
  }
}

/** The same question about another message, or of another act: what else it asks (a link) stays where it may. */
export function askingDid({ link, ...rest }: DidCondition, did: string, of: string | undefined): Condition {
  const act = MESSAGE_HAPPENINGS.find((h) => h === did) ?? 'opened';
  return { ...rest, did: act, of, ...(act === 'clicked' && link !== undefined ? { link } : {}) };
}

export const COMPARISONS = [
  ['is', 'is'],
  ['not', 'is not'],
  ['set', 'has a value'],
  ['empty', 'has none']
] as const;
export type Compared = (typeof COMPARISONS)[number][0];

export function comparedBy(c: FieldCondition): Compared {
  if (c.set === true) return 'set';
  if (c.set === false) return 'empty';
  return c.not !== undefined ? 'not' : 'is';
}

export function askingField(field: string, how: Compared, value: FieldValue): Condition {
  if (how === 'set') return { field, set: true };
  if (how === 'empty') return { field, set: false };
  return how === 'not' ? { field, not: value } : { field, is: value };
}
