/** What people answered, newest first, and texts from numbers nobody here has. */
import { nameSql } from '../db/person-name.ts';
import type { Db } from '../db/pool.ts';

export interface ReplyLine {
  person: number;
  name: string;
  at: number;
  text: string;
  channel: 'email' | 'sms';
  /** An out-of-office note and the like. */
  automatic: boolean;
  /** By mail without a key of ours: it is from whoever it says it is from, as far as anybody knows. */
  claimed: boolean;
  journey: string | null;
  journeyKey: string | null;
  step: string | null;
}

/** What came in and is about nobody here. */
export interface Stray {
  sender: string;
  body: string;
  at: number;
  channel: 'email' | 'sms';
  /** Of a mail: why it is kept aside. */
  why: string | null;
}

export async function replies(db: Db): Promise<{ replies: ReplyLine[]; total: number; strays: Stray[] }> {
  const [found, strays] = await Promise.all([
    db.query<ReplyLine & { total: number }>(
      `select h.person_id as person, ${nameSql()} as name, h.at,
         h.data ->> 'text' as text, coalesce(h.data ->> 'channel', 'sms') as channel,
         coalesce((h.data ->> 'machine')::boolean, false) as automatic,
         coalesce((h.data ->> 'claimed')::boolean, false) as claimed, j.name as journey, j.key as "journeyKey", h.step, count(*) over () as total
       from happenings h
       join people p on p.id = h.person_id
       left join journeys j on j.id = h.journey_id
       where h.name in ('replied', 'unsubscribed') and h.data ->> 'text' is not null
       order by h.at desc, h.id desc
       limit 200`
    ),
    db.query<Stray>(
      `(select sender, body, at, 'sms' as channel, null as why from stray_texts order by id desc limit 100)
       union all
       (select sender, concat_ws(' · ', nullif(subject, ''), left(body, 500)), at, 'email', why from stray_mails order by id desc limit 100)
       order by at desc limit 100`
    )
  ]);
  return { replies: found.rows, total: found.rows[0]?.total ?? 0, strays: strays.rows };
}
