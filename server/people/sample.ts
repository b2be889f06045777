/** A few people to preview messages as: one with a first name, one without. */
import { nameSql } from '../db/person-name.ts';
import { allFields } from '../engine/all-fields.ts';
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
      select id, ${nameSql()} as name,
        ${allFields('p')} as fields
      from (
        (select * from people where first_name is not null order by id limit 2)
        union all
        (select * from people where first_name is null order by id limit 1)
      ) as p`
  });
  return rows;
}
