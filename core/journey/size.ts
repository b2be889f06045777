/**
 * How large a journey may be. Asked before the schema reads it, so that what is
 * beyond costs nothing: a document is counted in one pass, whatever its shape.
 */
import { unfitInside } from '../text/text.ts';
import { hasMoreParts, MOST_RULE_PARTS, TOO_DEEP, tooMuch } from './depth.ts';
import { pathText, type Path, type Problem } from './problems.ts';

/** Steps a journey may have. */
export const MOST_STEPS = 1000;
/** Lanes inside each other, the main lane included. */
export const MOST_LEVELS = 12;
/** Conditions inside each other: `all`, `any`, `not`. */
export const MOST_NESTED = 20;

/** Brackets a document may have. */
export const MOST_PARTS = 60_000;
/** Keys under which rules stand. */
const RULES = new Set(['where', 'when']);

/** What is too large about a journey, or cannot be kept as text; `null` where nothing is. */
export function sizeProblem(document: unknown): Problem | null {
  const much = tooMuch(document, MOST_PARTS);
  if (much === 'deep') return { path: [], message: TOO_DEEP };
  if (much === 'many') return tooMany([], `more than ${MOST_PARTS} brackets`, MOST_PARTS);
  const unfit = unfitInside(document);
  if (unfit) return { path: unfit.path, message: `found ${unfit.what}, expected text without it` };
  let steps = 0;
  let problem: Problem | null = null;
  const visit = (value: unknown, path: Path, levels: number, nested: number): void => {
    if (problem || typeof value !== 'object' || value === null) return;
    for (const [key, inner] of Object.entries(value) as [string, unknown][]) {
      const here = [...path, Array.isArray(value) ? Number(key) : key];
      const isLane = key === 'lane' && Array.isArray(inner);
      const within = levels + (isLane ? 1 : 0);
      if (isLane) {
        steps += inner.length;
        if (steps > MOST_STEPS) return void (problem ??= tooMany(here, `more than ${MOST_STEPS} steps`, MOST_STEPS));
        if (within > MOST_LEVELS)
          return void (problem ??= tooMany(here, `lanes ${within} inside each other`, MOST_LEVELS));
      }
      if (RULES.has(key) && hasMoreParts(inner, MOST_RULE_PARTS))
        return void (problem ??= tooMany(here, `a rule of more than ${MOST_RULE_PARTS} parts`, MOST_RULE_PARTS));
      const joins = !Array.isArray(value) && (key === 'all' || key === 'any' || key === 'not');
      if (joins && nested >= MOST_NESTED)
        return void (problem ??= tooMany(here, `conditions ${nested + 1} inside each other`, MOST_NESTED));
      visit(inner, here, within, isLane ? 0 : nested + (joins ? 1 : 0));
    }
  };
  visit(document, [], 0, 0);
  return problem;
}

const tooMany = (path: Path, found: string, most: number): Problem => ({
  path,
  message: `found ${found}, expected at most ${most}`
});

/** A size problem in words, for those who have no place to show a path. */
export const sizeText = ({ path, message }: Problem): string => `${pathText(path)}: ${message}`;
