/**
 * What a copied block still says of its original. Copying gives it keys of its
 * own and re-points what pointed inside it; every other value is carried along,
 * and is what goes wrong: the tag, the points, the subject of the original.
 */
import { stepsAsked } from '../condition/asked.ts';
import { eachStep } from '../journey/walk-document.ts';
import { kindOf, lanesOf, type Step } from '../steps/index.ts';
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

/** Keys of any step that carry nothing: what it is. */
const NOT_CARRIED = ['key', 'kind'];

/** What keys are called that are no words. */
const WORDS: Readonly<Record<string, string>> = { url: 'address' };

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
export function carriedBy(block: readonly Step[], name: Naming): Carried[] {
  const steps = eachStep({ lane: [...block] }).map(({ step }) => step);
  const inside = new Set(steps.map((step) => step.key));
  const found = steps.flatMap((step) => [
    ...Object.entries(step).flatMap(([key, value]: [string, unknown]): Carried[] => {
      const { not = [], words: own = {} } = kindOf(step).carried ?? {};
      const words = NOT_CARRIED.includes(key) || not.includes(key) ? '' : valueWords(value);
      return words === ''
        ? []
        : [
            {
              key: step.key,
              id: `${step.key}/${key}`,
              what: own[key] ?? WORDS[key] ?? key,
              value: words,
              raw: JSON.stringify(value),
              outside: false
            }
          ];
    }),
    ...lanesOf(step).flatMap(({ when, path }): Carried[] => {
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
