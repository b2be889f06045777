/** Finding people by letters of their name and addresses. */
import type { Parameters } from '../../core/condition/sql.ts';

/** What is searched: the expression of the index `people_letters`. */
const LETTERS = `lower(coalesce(p.first_name, '') || ' ' || coalesce(p.last_name, '') || ' ' || coalesce(p.email, '') || ' ' || coalesce(p.phone, ''))`;

/** SQL over `people p`: all words of a text are somewhere in it. */
export function lettersSql(text: string, parameters: Parameters): string[] {
  return text
    .trim()
    .split(/\s+/)
    .filter(Boolean)
    .map((word) => `${LETTERS} like ${parameters.add(`%${word.toLowerCase().replace(/[\\%_]/g, '\\$&')}%`)}`);
}
