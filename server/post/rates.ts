/**
 * How fast messages go out: so many a minute by channel, and by the domain that receives them, over all senders together. A
 * minute is parted into slots of a few seconds, so that a burst at its beginning is no burst for whoever receives it.
 */
import type { Channel } from '../../core/person/values.ts';
import type { Db } from '../db/pool.ts';

/** Messages a minute; absent: as fast as they are taken. */
export interface Rates {
  channel: Partial<Record<Channel, number>>;
  /** To each domain. */
  domain?: number | undefined;
}

/** The shortest slot, in seconds. */
const SLOT = 5;

/** The slot of a rate in seconds, and how many go out in each. */
export function slotOf(perMinute: number): { seconds: number; most: number } {
  const seconds = Math.max(SLOT, Math.ceil(60 / perMinute));
  return { seconds, most: Math.max(1, Math.floor((perMinute * seconds) / 60)) };
}

const domainOf = ({ address }: { address: string }): string =>
  address.slice(address.lastIndexOf('@') + 1).toLowerCase();

/** Parts claimed rows into those that may go now and those that wait, each with how long, in seconds. */
export async function withinRates<R extends { address: string }>(
  db: Db,
  channel: Channel,
  rates: Rates,
  rows: R[]
): Promise<{ now: R[]; later: { row: R; seconds: number }[] }> {
  const later: { row: R; seconds: number }[] = [];
  let going = rows;
  const limit = async (perMinute: number | undefined, keyOf: (row: R) => string): Promise<void> => {
    if (perMinute === undefined || !going.length) return;
    const { seconds, most } = slotOf(perMinute);
    const counts = new Map<string, number>();
    for (const row of going) counts.set(keyOf(row), (counts.get(keyOf(row)) ?? 0) + 1);
    const free = await take(db, counts, seconds, most);
    const kept: R[] = [];
    for (const row of going) {
      const left = free.get(keyOf(row)) ?? 0;
      if (left > 0) kept.push(row);
      else later.push({ row, seconds });
      free.set(keyOf(row), left - 1);
    }
    going = kept;
  };
  if (channel === 'email') await limit(rates.domain, (row) => `email ${domainOf(row)}`);
  await limit(rates.channel[channel], () => channel);
  return { now: going, later };
}

/** Takes places of the present slot; how many of those asked for are free, by key. */
async function take(db: Db, counts: Map<string, number>, seconds: number, most: number): Promise<Map<string, number>> {
  const keys = [...counts.keys()].sort();
  const { rows } = await db.query<{ key: string; used: number }>({
    name: 'take-rate',
    text: `
      insert into send_rates as r (key, slot, used)
      select key, floor(extract(epoch from clock_timestamp()) / $3::double precision)::bigint, n
      from unnest($1::text[], $2::integer[]) as t (key, n)
      order by key
      on conflict (key) do update
      set used = case when r.slot = excluded.slot then r.used + excluded.used else excluded.used end, slot = excluded.slot
      returning key, used`,
    values: [keys, keys.map((key) => counts.get(key) ?? 0), seconds]
  });
  return new Map(
    rows.map(({ key, used }) => {
      const asked = counts.get(key) ?? 0;
      return [key, Math.max(0, Math.min(asked, most - (used - asked)))];
    })
  );
}
