/** A condition part by part: what each asks, whether it holds of somebody, and the value that they have. */
import { conditionWords, type Naming } from '../tell/condition.ts';
import { scoreNow } from '../engagement/scores.ts';
import { rungOf } from '../engagement/ladders.ts';
import { UNIT } from '../person/amount.ts';
import type { Happening } from '../person/happening.ts';
import type { FieldValue } from '../person/values.ts';
import { compileCondition, orderQuery, type Asked } from './evaluate.ts';
import { compileFilter } from './happening.ts';
import type { Condition } from './schema.ts';

/** What somebody has of what a part asks about. */
export type Had =
  | { kind: 'field'; value: FieldValue | null }
  | { kind: 'number'; value: number }
  | { kind: 'words'; value: string }
  /** How often it happened in all, and when last, UTC ms. */
  | { kind: 'times'; value: number; last: number | null };

export interface Explained {
  /** What is asked: "have the tag keen". */
  words: string;
  holds: boolean;
  /** Absent where the answer says it all. */
  had?: Had;
  /** Parts of which all have to hold, or any. */
  parts?: Explained[];
  link?: 'all' | 'any';
}

/** Explains a condition of a journey (`own`; empty for the settings). `name`: of a step by its key. */
export function explain(condition: Condition, own: string, asked: Asked, name: Naming): Explained {
  return part(condition, false, own, asked, name);
}

function part(condition: Condition, negated: boolean, own: string, asked: Asked, name: Naming): Explained {
  if ('all' in condition || 'any' in condition) {
    const all = 'all' in condition;
    const inside = all ? condition.all : condition.any;
    const parts = inside.map((c) => part(c, negated, own, asked, name));
    // "Not (a and b)" is "not a, or not b".
    const link = all !== negated ? 'all' : 'any';
    const holds = link === 'all' ? parts.every((p) => p.holds) : parts.some((p) => p.holds);
    const only = parts[0];
    return parts.length === 1 && only ? only : { words: '', holds, parts, link };
  }
  if (
    'not' in condition &&
    !('field' in condition) &&
    !('score' in condition) &&
    !('did' in condition) &&
    !('came' in condition)
  )
    return part(condition.not as Condition, !negated, own, asked, name);
  const holds = compileCondition(condition, own)(asked) !== negated;
  const had = hadOf(condition, own, asked);
  return {
    words: conditionWords(negated ? { not: condition } : condition, name),
    holds,
    ...(had ? { had } : {})
  };
}

function hadOf(condition: Condition, own: string, asked: Asked): Had | null {
  const { person, workspace, at } = asked;
  if ('did' in condition) {
    const { did, last: _last, since: _since, times: _times, ...filters } = condition;
    const match = compileFilter({ happening: did, ...filters }, own);
    const known = new Set<Happening>([...person.record, ...person.reactions]);
    const found = [...known].filter((h) => match(h, asked.walk, asked.zone));
    return {
      kind: 'times',
      value: found.length,
      last: found.reduce<number | null>((last, h) => Math.max(last ?? h.at, h.at), null)
    };
  }
  if ('came' in condition)
    return asked.walk ? { kind: 'words', value: `came by ${asked.walk.by.replace(/_/g, ' ')}` } : null;
  if ('field' in condition) return { kind: 'field', value: person.fields.get(condition.field) ?? null };
  if ('score' in condition) return { kind: 'number', value: scoreNow(workspace, person, condition.score, at) };
  if ('consent' in condition) return { kind: 'words', value: person.consent[condition.consent] ?? 'never asked' };
  if ('rung' in condition) {
    const ladders = workspace.ladders.filter((l) => condition.ladder === undefined || l.name === condition.ladder);
    return { kind: 'words', value: ladders.map((l) => rungOf(person, l.name) ?? 'on no rung').join(', ') };
  }
  if ('spent' in condition)
    return { kind: 'number', value: orderQuery(condition)(asked).reduce((sum, units) => sum + units, 0) / UNIT };
  if ('orders' in condition) return { kind: 'number', value: orderQuery(condition)(asked).length };
  return null;
}
