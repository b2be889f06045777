/**
 * Whether a message may go out, asked when it is claimed and once more right before the wire: whoever withdrew, bounced or was
 * erased while it waited is not written to. The address is the one they have now, not the one they had when it was queued.
 */
import type { Channel } from '../../core/person/values.ts';
import { columns } from '../db/columns.ts';
import type { Db } from '../db/pool.ts';
import { together } from '../db/together.ts';
import { addressNow, isSuppressed } from '../mail/reachable.ts';

/** Why a message that was queued does not go out any more. */
export type Barred = 'no-address' | 'suppressed' | 'no-consent';

const WORDS: Record<Barred, Record<Channel, string>> = {
  'no-address': {
    email: 'not sent: they have no email address any more',
    sms: 'not sent: they have no phone number any more'
  },
  suppressed: {
    email: 'not sent: nobody may write to their address any more, it is suppressed',
    sms: 'not sent: nobody may write to their number any more, it is suppressed'
  },
  'no-consent': {
    email: 'not sent: they gave no consent for emails, or have withdrawn it',
    sms: 'not sent: they gave no consent for texts, or have withdrawn it'
  }
};

/** Why it does not go out, as colleagues read it. */
export const barredWords = (why: Barred, channel: Channel): string => WORDS[why][channel];

/** SQL: a {@link Barred} of a message `m` to an address, or null. Service messages need no consent (`service` on a step). */
export const barredSql = (m: string, address: string): string => `case
    when ${address} is null then 'no-address'
    when ${isSuppressed(address)} then 'suppressed'
    when not ${m}.service and not exists (select from consents x
      where x.person_id = ${m}.person_id and x.channel = ${m}.channel and x.state = 'given') then 'no-consent'
  end`;

/** SQL: whether all sending is stopped, or the journey of a message does not run. */
const haltedSql = (m: string): string => `(exists (select from workspace where sending_stopped_at is not null)
    or exists (select from journeys j where j.id = ${m}.journey_id and j.state in ('paused', 'closed', 'archived')))`;

/** Which claim of which message asks. */
export interface Asking {
  person_id: number;
  id: number;
  claim: number;
}

export interface MayGo {
  address: string | null;
  barred: Barred | null;
  /** Sending was stopped, or its journey paused or ended: it waits, untried. */
  halted: boolean;
}

const askers = new WeakMap<Db, (asking: Asking) => Promise<MayGo | null>>();

/** Asks of a message in hand whether it may go now; `null`: it is not ours any more, or its person is gone. Many ask in one statement. */
export function mayGo(db: Db, asking: Asking): Promise<MayGo | null> {
  let ask = askers.get(db);
  if (!ask) askers.set(db, (ask = together((all: Asking[]) => askAll(db, all))));
  return ask(asking);
}

async function askAll(db: Db, all: Asking[]): Promise<(MayGo | null)[]> {
  const { rows } = await db.query<MayGo & { place: number }>({
    name: 'may-go',
    text: `
      select t.place, a.address, ${barredSql('m', 'a.address')} as barred, ${haltedSql('m')} as halted
      from unnest($1::bigint[], $2::bigint[], $3::integer[]) with ordinality as t (person_id, id, claim, place)
      join messages m on m.person_id = t.person_id and m.id = t.id and m.claim = t.claim
        and m.state = 'sending' and m.not_before > clock_timestamp()
      join people p on p.id = m.person_id
      cross join lateral (select ${addressNow('p', 'm.channel')} as address) as a`,
    values: columns(all, ['person_id', 'id', 'claim'])
  });
  const found = new Map(rows.map(({ place, ...row }) => [place, row]));
  return all.map((_, i) => found.get(i + 1) ?? null);
}
