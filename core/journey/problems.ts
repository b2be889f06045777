/**
 * What is wrong with a document, said with its path. Turns schema errors into
 * sentences of one form: what was found, what was expected.
 */
import type { z } from 'zod';

export type Path = (string | number)[];

export interface Problem {
  path: Path;
  /** "found 3, expected a text" */
  message: string;
}

/** `entry.on[0].tag`; the document itself is "the document". */
export function pathText(path: Path): string {
  const text = path.map((p) => (typeof p === 'number' ? `[${p}]` : `.${p}`)).join('');
  return text.replace(/^\./, '') || 'the document';
}

/** The value at a path of a document. */
export function valueAt(document: unknown, path: Path): unknown {
  return path.reduce<unknown>(
    (value, key) =>
      value !== null && typeof value === 'object' ? (value as Record<string | number, unknown>)[key] : undefined,
    document
  );
}

/** A value, short enough for a message. */
export function found(value: unknown): string {
  if (value === undefined) return 'nothing';
  const text = JSON.stringify(value);
  return text.length > 60 ? `${text.slice(0, 57)}…` : text;
}

type Issue = z.core.$ZodIssue;

/** All problems that a schema finds in a document. */
export function schemaProblems(error: z.ZodError, document: unknown): Problem[] {
  return error.issues.flatMap((issue) => problemsOf(issue, [], document));
}

function problemsOf(issue: Issue, base: Path, document: unknown): Problem[] {
  const path = [...base, ...issue.path.map((p) => (typeof p === 'number' ? p : String(p)))];
  const here = found(valueAt(document, path));
  switch (issue.code) {
    case 'unrecognized_keys':
      return issue.keys.map((key) => ({
        path: [...path, key],
        message: `found the key "${key}", which is not known here`
      }));
    case 'invalid_union': {
      if (issue.discriminator) {
        const key = issue.discriminator;
        const value = found(valueAt(document, [...path]));
        return [{ path, message: `found ${value}, expected a ${key} that is known here${options(issue)}` }];
      }
      const best = nearest(issue.errors, valueAt(document, path));
      if (best) return best.flatMap((inner) => problemsOf(inner, path, document));
      return [{ path, message: `found ${here}, expected a condition or happening that is known here` }];
    }
    case 'invalid_type':
      return [{ path, message: `found ${here}, expected ${article(issue.expected)}` }];
    case 'invalid_value':
      return [{ path, message: `found ${here}, expected ${issue.values.map((v) => JSON.stringify(v)).join(' or ')}` }];
    case 'too_small':
      return [{ path, message: `found ${here}, expected at least ${issue.minimum}` }];
    default:
      return [{ path, message: `found ${here}, ${issue.message.replace(/^(?!expected)/, 'expected ')}` }];
  }
}

function options(issue: Issue): string {
  const names = (issue as { options?: unknown[] }).options;
  return names?.length ? `: ${names.map(String).join(', ')}` : '';
}

function article(type: string): string {
  return (
    { string: 'a text', number: 'a number', boolean: 'true or false', array: 'an array', object: 'an object' }[type] ??
    type
  );
}

/** Of the forms a union allows, the one the writer most likely meant: the one whose own key is there. */
function nearest(errors: Issue[][], value: unknown): Issue[] | null {
  if (value === null || typeof value !== 'object') return null;
  const own = (i: Issue): boolean => i.path.length === 0;
  // Of an array only a form for arrays can tell more than that it is none.
  if (Array.isArray(value))
    return errors.find((form) => form.some((i) => !own(i) || i.code === 'too_small' || i.code === 'too_big')) ?? null;
  const keys = Object.keys(value);
  // A form that knows none of the keys was not meant, nor one of a kind the value does not name.
  const forms = errors.filter((form) => {
    const unknown = form.flatMap((i) => (i.code === 'unrecognized_keys' && own(i) ? i.keys : []));
    const otherKind = form.some(
      (i) => i.code === 'invalid_union' && i.path.length === 1 && !keys.includes(String(i.path[0]))
    );
    const otherType = form.some((i) => own(i) && i.code === 'invalid_type');
    return !otherKind && !otherType && keys.some((key) => !unknown.includes(key));
  });
  const weight = (form: Issue[]): number =>
    form.reduce((sum, i) => sum + (i.code === 'unrecognized_keys' && own(i) ? i.keys.length : 1), 0);
  return [...forms].sort((a, b) => weight(a) - weight(b))[0] ?? null;
}
