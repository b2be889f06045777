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

/** Whether a value that is already JSON is nested too deeply to be read. */
export function isTooDeep(value: unknown): boolean {
  let level = [value];
  for (let depth = 0; level.length; depth++) {
    if (depth > DEEPEST) return true;
    level = level.flatMap((v) => (typeof v === 'object' && v !== null ? (Object.values(v) as unknown[]) : []));
  }
  return false;
}

/** A rule may have so many parts: each is tried in the shape of every kind of condition, and with all of them a reader stands still. */
export const MOST_RULE_PARTS = 2000;

/** Whether a value that is already JSON has more than so many brackets: asked before a schema reads it, in one pass. */
export function hasMoreParts(value: unknown, most: number): boolean {
  const waiting = [value];
  for (let parts = 0; waiting.length;) {
    const next = waiting.pop();
    if (typeof next !== 'object' || next === null) continue;
    if (++parts > most) return true;
    for (const inner of Object.values(next) as unknown[]) if (typeof inner === 'object') waiting.push(inner);
  }
  return false;
}
