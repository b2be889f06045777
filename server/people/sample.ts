/** A few people to preview messages as: one with a first name, one without. */
import type { Db } from '../db/pool.ts';

export interface SamplePerson {
  id: number;
  name: string;
  fields: Record<string, unknown>;
}

export async function samplePeople(db: Db): Promise<SamplePerson[]> {
  const { rows } = await db.query<SamplePerson>({
    name: 'sample-people',
    text: `
      select id, coalesce(nullif(concat_ws(' ', first_name, last_name), ''), email, phone) as name,
        fields || jsonb_strip_nulls(jsonb_build_object('email', email, 'phone', phone, 'first_name', first_name, 'last_name', last_name, 'zone', zone)) as fields
      from (
        (select * from people where first_name is not null order by id limit 2)
        union all
        (select * from people where first_name is null order by id limit 1)
      ) as p`
  });
  return rows;
}
