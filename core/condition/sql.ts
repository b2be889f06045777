/**
 * Conditions as parameterised SQL over `people p`, for counting and listing.
 * They agree with `evaluate.ts`, which a property test holds them to. What only
 * a walk can answer (`did … of`) is false here, as it is for someone not walking.
 */
import { PERSON_COLUMNS, type PersonColumn } from '../person/columns.ts';
import type { FieldValue } from '../person/values.ts';
import { eachCondition } from './evaluate.ts';
import type { Condition, FieldCondition } from './schema.ts';

/** Collects parameters; gives each its place. */
export class Parameters {
  readonly values: unknown[] = [];
  add(value: unknown): string {
    this.values.push(value);
    return `$${this.values.length}`;
  }
}

/** Whether a condition can be asked of the database: what only the core computes is refused before a journey goes live. */
export function isSql(condition: Condition): boolean {
  return eachCondition(condition).every((c) => {
    if ('all' in c || 'any' in c || 'tag' in c || 'consent' in c) return !('did' in c || 'came' in c);
    if ('did' in c) return c.of !== undefined;
    if ('field' in c) return !('came' in c) && Object.keys(c).every((k) => ['field', 'is', 'not', 'set'].includes(k));
    return 'not' in c && !('score' in c);
  });
}

/** A boolean SQL expression, never null. Everything from the condition is a parameter. Throws where {@link isSql} is false. */
export function conditionSql(condition: Condition, parameters: Parameters): string {
  if (!isSql(condition))
    throw new Error(`this condition cannot be asked of the database: ${JSON.stringify(condition)}`);
  return sqlOf(condition, parameters);
}

function sqlOf(condition: Condition, parameters: Parameters): string {
  if ('all' in condition) return `(${condition.all.map((c) => sqlOf(c, parameters)).join(' and ')})`;
  if ('any' in condition) return `(${condition.any.map((c) => sqlOf(c, parameters)).join(' or ')})`;
  if ('did' in condition || 'came' in condition || 'score' in condition) return 'false';
  if ('field' in condition) return fieldSql(condition, parameters);
  if ('not' in condition) return `(not ${sqlOf(condition.not, parameters)})`;
  if ('tag' in condition) {
    return `exists (select from person_tags t where t.person_id = p.id and t.tag = ${parameters.add(condition.tag)})`;
  }
  if ('consent' in condition) {
    const channel = parameters.add(condition.consent);
    return `exists (select from consents c where c.person_id = p.id and c.channel = ${channel} and c.state = 'given')`;
  }
  return 'false';
}

function fieldSql({ field, is, not, set }: FieldCondition, parameters: Parameters): string {
  const own = (PERSON_COLUMNS as readonly string[]).includes(field);
  // Own columns are text; other fields keep their JSON type.
  const value = own ? `to_jsonb(p.${field as PersonColumn})` : `(p.fields -> ${parameters.add(field)}::text)`;
  const has = `(coalesce(${value}, 'null') not in ('null', '""'))`;
  const same = (other: FieldValue): string => {
    const json = `${parameters.add(JSON.stringify(other))}::jsonb`;
    return typeof other === 'string'
      ? `coalesce(jsonb_typeof(${value}) = 'string' and lower(${value} #>> '{}') = lower(${json} #>> '{}'), false)`
      : `coalesce(${value} = ${json}, false)`;
  };
  const parts: string[] = [];
  if (set !== undefined) parts.push(set ? has : `(not ${has})`);
  if (is !== undefined) parts.push(`(${has} and ${same(is)})`);
  if (not !== undefined) parts.push(`(not (${has} and ${same(not)}))`);
  return `(${parts.join(' and ')})`;
}
