/** Undo and redo: the documents before and after, each with what was done. Immutable. */
export interface History<T> {
  past: { value: T; label: string }[];
  present: T;
  future: { value: T; label: string }[];
}

const MOST = 500;
/** Of those, so many are kept when something is brought in: each has to be worked out again. */
const REBASED = 60;

export function begin<T>(value: T): History<T> {
  return { past: [], present: value, future: [] };
}

/**
 * A new present. `merge`: typing into one field is one thing to undo, so the
 * value before the first letter is kept and those between are not.
 */
export function commit<T>(history: History<T>, value: T, label: string, merge: boolean): History<T> {
  if (value === history.present) return history;
  if (merge && history.past.length) return { past: history.past, present: value, future: [] };
  return { past: [...history.past, { value: history.present, label }].slice(-MOST), present: value, future: [] };
}

export function undo<T>(history: History<T>): History<T> {
  const last = history.past.at(-1);
  if (!last) return history;
  return {
    past: history.past.slice(0, -1),
    present: last.value,
    future: [{ value: history.present, label: last.label }, ...history.future]
  };
}

export function redo<T>(history: History<T>): History<T> {
  const [next, ...rest] = history.future;
  if (!next) return history;
  return { past: [...history.past, { value: history.present, label: next.label }], present: next.value, future: rest };
}

/** What can be undone and done again once something else has been brought in: each value with it, the latest ones only. */
export function rebase<T>(history: History<T>, present: T, bring: (value: T) => T): History<T> {
  const each = (list: History<T>['past']): History<T>['past'] =>
    list.map(({ value, label }) => ({ value: bring(value), label }));
  return { past: each(history.past.slice(-REBASED)), present, future: each(history.future.slice(0, REBASED)) };
}
