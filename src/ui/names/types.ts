/** Types of fields, as they are called. */
import type { FieldType } from '$core/person/values.ts';

export const TYPES: readonly (readonly [FieldType, string])[] = [
  ['text', 'text'],
  ['number', 'number'],
  ['date', 'date'],
  ['instant', 'date, time'],
  ['yesno', 'yes or no'],
  ['choice', 'choice'],
  ['choices', 'choices']
];
export const typeWords = (type: FieldType | null): string => TYPES.find(([t]) => t === type)?.[1] ?? 'text';
