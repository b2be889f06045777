/**
 * How deeply brackets are nested. What reads documents goes into them by
 * recursion, so one that is nested without end would end the program instead
 * of being refused.
 */

/** Deeper than this nothing is read: twelve lanes inside each other take 48 brackets, twenty conditions 40. */
export const DEEPEST = 120;

export const TOO_DEEP = `expected at most ${DEEPEST} brackets inside each other`;

/** The deepest nesting of a JSON text, whether it is well formed or not. */
export function textDepth(text: string): number {
  let depth = 0;
  let deepest = 0;
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i);
    if (quoted) {
      if (code === 92) i++;
      else if (code === 34) quoted = false;
    } else if (code === 34) quoted = true;
    else if (code === 91 || code === 123) deepest = Math.max(deepest, ++depth);
    else if (code === 93 || code === 125) depth--;
  }
  return deepest;
}

/** What is too much about a value that is already JSON, told in one pass: nested too deeply, or more brackets than so many. */
export function tooMuch(value: unknown, most: number): 'deep' | 'many' | null {
  let level = [value];
  let brackets = 0;
  for (let depth = 0; level.length; depth++) {
    if (depth > DEEPEST) return 'deep';
    level = level.flatMap((v) => {
      if (typeof v !== 'object' || v === null) return [];
      // Not gone into any more, once there are too many.
      return ++brackets > most ? [] : (Object.values(v) as unknown[]);
    });
    if (brackets > most) return 'many';
  }
  return null;
}

/** Whether a value that is already JSON is nested too deeply to be read. */
export const isTooDeep = (value: unknown): boolean => tooMuch(value, Infinity) === 'deep';

/** A rule may have so many parts: each is tried in the shape of every kind of condition, and with all of them a reader stands still. */
export const MOST_RULE_PARTS = 2000;

/** Whether a value that is already JSON has more than so many brackets: asked before a schema reads it. */
export const hasMoreParts = (value: unknown, most: number): boolean => tooMuch(value, most) !== null;
