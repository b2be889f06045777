/**
 * What a copied block still says of its original. Copying gives it keys of its
 * own and re-points what pointed inside it; every other value is carried along,
 * and is what goes wrong: the tag, the points, the subject of the original.
 */
import { stepsAsked } from '../condition/asked.ts';
import { eachStep } from '../journey/walk-document.ts';
import { kindOf, type Step } from '../steps/index.ts';
import { ruleWords, type Naming } from '../tell/condition.ts';
import { durationWords } from '../tell/words.ts';

export interface Carried {
  /** Key of the step of the copy that carries it. */
  key: string;
  /** What it is called inside its step, the same as long as it stands there. */
  id: string;
  /** "subject", "puts on", "takes those who" */
  what: string;
  /** The value in words. */
  value: string;
  /** The value as it stands in the document, to see whether it still does. */
  raw: string;
  /** Asks about a step that was not copied along. */
  outside: boolean;
}

/** Keys of a step that carry nothing: what it is, and the lanes it holds. */
const NOT_CARRIED = new Set(['key', 'kind', 'by', 'lanes', 'otherwise', 'none']);

const WORDS: Record<string, string> = {
  preview: 'preview text',
  add: 'puts on',
  remove: 'takes off',
  for: 'waits',
  to: 'goes to',
  url: 'address',
  replyTo: 'reply address',
  atMost: 'at most'
};

/** A key of a step in words; points are added, tags and lists put on. */
const whatOf = (step: Step, key: string): string =>
  step.kind === 'score' && key === 'add' ? 'points' : (WORDS[key] ?? key);

function valueWords(value: unknown): string {
  if (Array.isArray(value)) return value.map((v) => valueWords(v)).join(', ');
  if (typeof value === 'object' && value !== null) {
    return Object.entries(value)
      .map(([key, v]) => `${key} ${valueWords(v)}`)
      .join(', ');
  }
  return typeof value === 'string' ? durationWords(value) : String(value);
}

/** Every value that a block carries, in order of the document; those that ask about what was not copied come first. */
export function carriedBy(block: Step, name: Naming): Carried[] {
  const steps = eachStep({ lane: [block] }).map(({ step }) => step);
  const inside = new Set(steps.map((step) => step.key));
  const found = steps.flatMap((step) => [
    ...Object.entries(step).flatMap(([key, value]: [string, unknown]): Carried[] => {
      const words = NOT_CARRIED.has(key) || (step.kind === 'listen' && key === 'for') ? '' : valueWords(value);
      return words === ''
        ? []
        : [
            {
              key: step.key,
              id: `${step.key}/${key}`,
              what: whatOf(step, key),
              value: words,
              raw: JSON.stringify(value),
              outside: false
            }
          ];
    }),
    ...kindOf(step)
      .lanes(step)
      .flatMap(({ when, path }): Carried[] => {
        if (!when) return [];
        const outside = stepsAsked(when).some((key) => !inside.has(key));
        return [
          {
            key: step.key,
            id: `${step.key}/${path.join('.')}`,
            what: 'takes those who',
            value: ruleWords(when, name),
            raw: JSON.stringify(when),
            outside
          }
        ];
      })
  ]);
  return [...found.filter((c) => c.outside), ...found.filter((c) => !c.outside)];
}
