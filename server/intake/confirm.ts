/** Double opt-in: who was asked for a consent gives it on the page behind the link, and only there. */
import { now } from '../clock/clock.ts';
import { notify } from '../db/notify.ts';
import { ts, type Db } from '../db/pool.ts';
import { workspaceSecret } from './intake.ts';
import { readToken } from './token.ts';

export interface Asking {
  channel: 'email' | 'sms';
  /** What would be written to. */
  address: string;
  given: boolean;
  /** Withdrawn since they were asked: this link does not bring it back. */
  withdrawn: boolean;
}

/** What a link asks for; `null` where it is not ours, or whom it asks is gone. */
export async function asking(db: Db, token: string): Promise<(Asking & { person: number; errand: number }) | null> {
  const read = readToken(await workspaceSecret(db), 'confirm', token);
  if (!read) return null;
  const { rows } = await db.query<Asking & { person: number; errand: number }>({
    name: 'asking',
    text: `
      select e.person_id as person, e.id as errand, s.step ->> 'channel' as channel,
        case s.step ->> 'channel' when 'email' then p.email else p.phone end as address,
        coalesce(c.state = 'given', false) as given, coalesce(c.state = 'withdrawn' and c.at > e.at, false) as withdrawn
      from errands e
      join people p on p.id = e.person_id
      join versions v on v.journey_id = e.journey_id and v.number = e.version
      cross join lateral jsonb_path_query_first(v.document, '$.** ? (@.key == $key && @.kind == "consent")',
        jsonb_build_object('key', e.step)) as s (step)
      left join consents c on c.person_id = e.person_id and c.channel = s.step ->> 'channel'
      where e.person_id = person_now($1) and e.id = $2 and e.kind = 'ask'`,
    values: [read.person, read.message]
  });
  const found = rows[0];
  return found?.address ? found : null;
}

/** Gives the consent that was asked for. False where the link is not ours or the consent was withdrawn since. */
export async function confirm(db: Db, token: string): Promise<boolean> {
  const found = await asking(db, token);
  if (!found || found.withdrawn) return false;
  await db.query(
    `insert into happenings (person_id, name, at, source, source_id, data) values ($1, 'set', $2, 'confirmed', $3, $4)
     on conflict do nothing`,
    [found.person, ts(await now(db)), String(found.errand), JSON.stringify({ consent: { [found.channel]: 'given' } })]
  );
  await notify(db, 'inbox');
  return true;
}
