/** All fields of a person by name, those with a column of their own among them, as SQL: what templates are filled in with. */
import { PERSON_COLUMNS } from '../../core/person/columns.ts';

/** `row`: the alias of the row of `people`. */
export const allFields = (row: string): string =>
  `${row}.fields || jsonb_strip_nulls(jsonb_build_object(${PERSON_COLUMNS.map((c) => `'${c}', ${row}.${c}`).join(', ')}))`;
