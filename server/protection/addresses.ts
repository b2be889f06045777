/** Every address somebody ever had: the ones they have, further ones, and former ones, wherever they stand on record. */
import type { Channel } from '../../core/person/values.ts';
import type { Db } from '../db/pool.ts';

export interface HadAddress {
  person: number;
  channel: Channel;
  /** As it stands there: letter case and all. */
  address: string;
}

const BOTH = (from: string): string =>
  `cross join lateral (values ('email', ${from} ->> 'email'), ('sms', ${from} ->> 'phone')) as c (channel, address)`;

/** Addresses of these people, each once. */
export async function addressesOf(db: Db, people: readonly number[]): Promise<HadAddress[]> {
  const { rows } = await db.query<HadAddress>(
    `select distinct person, channel, address from (
       select p.id as person, c.channel, c.address from people p
         cross join lateral (values ('email', p.email), ('sms', p.phone)) as c (channel, address) where p.id = any($1::bigint[])
       union all select person_id, channel, address from other_addresses where person_id = any($1::bigint[])
       union all select person_id, channel, address from messages where person_id = any($1::bigint[])
       union all select person_id, channel, copy ->> 'was' from messages, jsonb_array_elements(copies) as copy
         where person_id = any($1::bigint[]) and copies is not null
       union all select person_id, channel, address from consent_records where person_id = any($1::bigint[])
       union all select person_id, 'sms', address from answers where person_id = any($1::bigint[])
       union all select person_id, 'email', address from letters where person_id = any($1::bigint[])
       union all select person_id, case when address like '%@%' then 'email' else 'sms' end, address
         from errands where person_id = any($1::bigint[])
       -- What a field was before and after each change, in what a merge or an import left as well.
       union all select h.person_id, case h.data ->> 'field' when 'email' then 'email' else 'sms' end, a.address
         from happenings h cross join lateral (values (h.data ->> 'from'), (h.data ->> 'to')) as a (address)
         where h.person_id = any($1::bigint[]) and h.name = 'field_changed' and h.data ->> 'field' in ('email', 'phone')
       union all select h.person_id, c.channel, c.address from happenings h ${BOTH(`(h.data -> 'was')`)}
         where h.person_id = any($1::bigint[]) and h.name = 'merged'
       union all select h.person_id, c.channel, c.address from happenings h ${BOTH(`(h.data -> 'fields')`)}
         where h.person_id = any($1::bigint[]) and h.name = 'set'
       union all select i.person_id, c.channel, c.address from import_changes i ${BOTH(`(i.before -> 'fields')`)}
         where i.person_id = any($1::bigint[])
       union all select i.person_id, c.channel, c.address from import_changes i ${BOTH(`(i.after -> 'fields')`)}
         where i.person_id = any($1::bigint[])
     ) as had where address <> ''`,
    [people]
  );
  return rows;
}
