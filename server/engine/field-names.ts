/** The catalogue of fields: every name that anyone has or had a value for. */
import { ts, type Db } from '../db/pool.ts';

const OWN = ['first_name', 'last_name', 'email', 'phone', 'zone'];
/** How many of the names are everybody's own. */
export const OWN_FIELDS = OWN.length;

/** Own columns first, then all others by name. */
export async function fieldNames(db: Db): Promise<string[]> {
  const { rows } = await db.query<{ name: string }>({
    name: 'field-names',
    text: 'select name from field_names order by name limit 2000'
  });
  return [...OWN, ...rows.map((r) => r.name)];
}

/** Puts names into the catalogue, in one order, so that two who do it at once never wait for each other. */
export async function catalogueFields(db: Db, names: Iterable<string>, at: number): Promise<void> {
  const fresh = [...new Set(names)].sort();
  if (!fresh.length) return;
  await db.query({
    name: 'catalogue-fields',
    text: `
      insert into field_names (name, since)
      select name, $2 from unnest($1::text[]) as t (name)
      where not exists (select from field_names f where f.name = t.name)
      on conflict do nothing`,
    values: [fresh, ts(at)]
  });
}
