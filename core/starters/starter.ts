/** Ready journeys by purpose. A starter is a journey whose own names are left open; what it asks before use fills them in. */
import type { Journey } from '../journey/schema.ts';
import { FORMAT } from '../journey/schema.ts';
import type { Step } from '../steps/index.ts';

/** What the answer is the name of. */
export type Asked = 'tag' | 'field' | 'form' | 'rung' | 'score' | 'link' | 'text';

export interface Question {
  id: string;
  ask: string;
  kind: Asked;
  /** What is taken where nobody says otherwise. */
  usual: string;
}

export interface Starter {
  key: string;
  name: string;
  purpose: string;
  /** Why it is made so, in a sentence or two. */
  why: string;
  questions: Question[];
  /** Answers stand in it as `«id»`. */
  journey: Journey;
}

/** The journey with the answers in it; those that are missing or empty are as usual. */
export function startFrom({ questions, journey }: Starter, answers: Readonly<Record<string, string>> = {}): Journey {
  const given = new Map(questions.map(({ id, usual }) => [id, answers[id]?.trim() || usual]));
  const filled = (value: unknown): unknown => {
    if (typeof value === 'string') return value.replace(/«([a-z]+)»/g, (whole, id: string) => given.get(id) ?? whole);
    if (Array.isArray(value)) return value.map(filled);
    if (typeof value !== 'object' || value === null) return value;
    return Object.fromEntries(Object.entries(value).map(([key, v]) => [filled(key), filled(v)]));
  };
  return filled(journey) as Journey;
}

const HELLO = "Hello {{ person.first_name | default: 'there' }},\n\n";

/** An email that asks for one thing. `note`: why it stands there. */
export const email = (
  key: string,
  name: string,
  aim: string,
  subject: string,
  text: string,
  note: string,
  more: object = {}
): Step => ({ key, kind: 'email', name, aim, subject, text: HELLO + text, note, ...more }) as Step;
export const sms = (key: string, name: string, aim: string, text: string, note: string): Step => ({
  key,
  kind: 'sms',
  name,
  aim,
  text,
  note
});
export const waitFor = (key: string, length: string, note: string): Step => ({ key, kind: 'wait', for: length, note });
export const waitUntil = (key: string, field: string, offset: string, note: string): Step => ({
  key,
  kind: 'wait',
  until: { field, offset, time: '10:00', past: 'skip' },
  note
});
export const tag = (key: string, name: string, note: string): Step => ({ key, kind: 'tag', add: [name], note });
export const leave = (key: string, reason: string, note: string): Step => ({ key, kind: 'leave', reason, note });

/** Hours in which nobody minds a message. */
const DAYTIME = { from: '09:00', to: '20:00', zone: 'person' as const };

export function starter(
  key: string,
  name: string,
  purpose: string,
  why: string,
  questions: [id: string, ask: string, kind: Asked, usual: string][],
  rules: Pick<Journey, 'entry' | 'goal' | 'leaveWhen' | 'idle'>,
  lane: Step[]
): Starter {
  return {
    key,
    name,
    purpose,
    why,
    questions: questions.map(([id, ask, kind, usual]) => ({ id, ask, kind, usual })),
    journey: { format: FORMAT, key, name, purpose, hours: DAYTIME, ...rules, lane }
  };
}
