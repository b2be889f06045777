/**
 * Double opt-in: who was asked for a consent gives it on the page behind the link, and only there. What is confirmed is the
 * address that the link went to, in the words of the message that asked: both are kept with the consent, as its proof.
 */
import type { Channel } from '../../core/person/values.ts';
import { now } from '../workspace/clock.ts';
import { notify } from '../db/notify.ts';
import { ts, type Db } from '../db/pool.ts';
import { addressNow } from '../mail/reachable.ts';
import { requestRow } from '../inbox/request.ts';
import { workspaceSecret } from './intake.ts';
import { readToken } from './token.ts';

export interface Asking {
  channel: Channel;
  /** Where the link went, which is what would be written to. */
  address: string;
  given: boolean;
  /** Withdrawn since they were asked: this link does not bring it back. */
  withdrawn: boolean;
  /** They have another address now: this link says nothing about that. */
  moved: boolean;
}

/** What a link asks for; `null` where it is not ours, or whom it asks is gone. */
export async function asking(
  db: Db,
  token: string
): Promise<(Asking & { person: number; errand: number; wording: string | null }) | null> {
  const read = readToken(await workspaceSecret(db), 'confirm', token);
  if (!read) return null;
  const { rows } = await db.query<Asking & { person: number; errand: number; wording: string | null }>({
    name: 'asking',
    text: `
      select e.person_id as person, e.id as errand, s.channel, coalesce(e.address, a.address) as address, e.wording,
        a.address is distinct from coalesce(e.address, a.address) as moved,
        coalesce(c.state = 'given', false) as given, coalesce(c.state = 'withdrawn' and c.at > e.at, false) as withdrawn
      from errands e
      join people p on p.id = e.person_id
      join versions v on v.journey_id = e.journey_id and v.number = e.version
      cross join lateral (select jsonb_path_query_first(v.document, '$.** ? (@.key == $key && @.kind == "consent")',
        jsonb_build_object('key', e.step)) ->> 'channel' as channel) as s
      cross join lateral (select ${addressNow('p', 's.channel')} as address) as a
      left join consents c on c.person_id = e.person_id and c.channel = s.channel
      where e.person_id = person_now($1) and e.id = $2 and e.kind = 'ask'`,
    values: [read.person, read.message]
  });
  const found = rows[0];
  return found?.address ? found : null;
}

/** Gives the consent that was asked for. False where the link is not ours, or is not for what they have now, or was withdrawn since. */
export async function confirm(db: Db, token: string): Promise<boolean> {
  const found = await asking(db, token);
  if (!found || found.withdrawn || found.moved) return false;
  const { channel, address, wording } = found;
  const proof = { source: `confirmed by the link sent to ${address}`, wording, address };
  await db.query(
    `insert into happenings (person_id, name, at, source, source_id, data) values ($1, 'set', $2, 'confirmed', $3, $4)
     on conflict do nothing`,
    [
      found.person,
      ts(await now(db)),
      String(found.errand),
      requestRow('set', { consent: { [channel]: 'given' }, by: 'person', proof }).data
    ]
  );
  await notify(db, 'inbox');
  return true;
}
