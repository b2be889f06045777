/** What is posted to the web address of a call step: who stands where, and the step's own values, filled in. */
import type { CallStep } from '../steps/call.ts';
import { fillIn, type MessageScope } from './personal.ts';

export interface CalledFor {
  /** Key of the journey. */
  journey: string;
  walk: number;
  visit: number;
  person: { id: number; fields: Readonly<Record<string, unknown>> };
}

/** The `data` of the event; throws where a template cannot be filled in. */
export function calledData(step: CallStep, at: CalledFor, scope: MessageScope): Record<string, unknown> {
  return {
    journey: at.journey,
    step: step.key,
    walk: at.walk,
    visit: at.visit,
    person: { id: at.person.id, ...at.person.fields },
    ...(filledDeep(step.data ?? {}, scope) as Record<string, unknown>)
  };
}

/** Every text in a value is a template, however deep. */
function filledDeep(value: unknown, scope: MessageScope): unknown {
  if (typeof value === 'string') return fillIn(value, scope);
  if (Array.isArray(value)) return value.map((v) => filledDeep(v, scope));
  if (value !== null && typeof value === 'object')
    return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, filledDeep(v, scope)]));
  return value;
}
