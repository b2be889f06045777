/** Problems the schema cannot see: two steps with one key, and keys that name no step. */
import { eachCondition } from '../condition/evaluate.ts';
import { isHappening, type Condition, type HappeningOrCondition } from '../condition/schema.ts';
import { kindOf } from '../steps/index.ts';
import type { Path, Problem } from './problems.ts';
import type { Journey } from './schema.ts';
import { eachStep } from './walk-document.ts';

/** All broken references of a journey the schema has accepted. */
export function referenceProblems(document: Journey): Problem[] {
  const problems: Problem[] = [];
  const steps = eachStep(document);
  const messages = new Set(steps.filter((s) => isMessage(s.step.kind)).map((s) => s.step.key));
  const keys = new Map<string, Path>();
  for (const { step, path } of steps) {
    if (keys.has(step.key))
      problems.push({
        path: [...path, 'key'],
        message: `found "${step.key}" a second time, expected a key of its own`
      });
    keys.set(step.key, path);
  }
  const ask = (of: string | undefined, path: Path): void => {
    if (of !== undefined && !messages.has(of)) {
      problems.push({ path, message: `found "${of}", expected the key of an email or sms step of this journey` });
    }
  };
  const condition = (c: Condition, path: Path): void => {
    for (const inner of eachCondition(c)) if ('did' in inner) ask(inner.of, path);
  };
  const rule = (r: HappeningOrCondition, path: Path): void => {
    if (!isHappening(r)) condition(r, path);
    else if ('of' in r) ask(r.of, [...path, 'of']);
  };
  if (document.entry?.where) condition(document.entry.where, ['entry', 'where']);
  if (document.goal) rule(document.goal.when, ['goal', 'when']);
  document.leaveWhen?.forEach((r, i) => rule(r.when, ['leaveWhen', i, 'when']));
  document.notes?.forEach((note, i) => {
    if (!keys.has(note.at))
      problems.push({ path: ['notes', i, 'at'], message: `found "${note.at}", expected the key of a step` });
  });
  for (const { step, path } of steps) {
    for (const lane of kindOf(step).lanes(step)) if (lane.when) condition(lane.when, [...path, ...lane.path, 'when']);
  }
  return problems;
}

/** Whether a step of this kind sends a message. */
export function isMessage(kind: string): boolean {
  return kind === 'email' || kind === 'sms';
}
