/** Figures for whoever watches over the machines, in the Prometheus text form: what waits, how long, and what was done. Nothing of anyone. */
import { Gauge, Registry } from 'prom-client';
import { readClock } from '../workspace/clock.ts';
import type { Db } from '../db/pool.ts';
import { ts } from '../db/pool.ts';
import { ALL_DAYS } from '../engine/count.ts';

/** More than these that wait are not counted: then it is so many, or more. */
const MOST = 100_000;

interface Waiting {
  inbox: number;
  inbox_oldest: number | null;
  due: number;
  due_oldest: number | null;
  aside: number;
  early: number;
  errands: number;
  crowds: number;
}

export async function metrics(db: Db): Promise<{ type: string; text: string }> {
  const { now } = await readClock(db);
  const [waiting, outbox, done, hour, channels] = await Promise.all([
    db.query<Waiting>({
      name: 'metrics-waiting',
      text: `
        select
          (select count(*) from (select from happenings where handled_at is null limit ${MOST}) as h) as inbox,
          (select min(at) from (select at from happenings where handled_at is null order by id limit 1) as h) as inbox_oldest,
          (select count(*) from (select from agenda where next_at <= $1 limit ${MOST}) as g) as due,
          (select min(next_at) from agenda where next_at <= $1) as due_oldest,
          (select count(*) from set_aside) as aside,
          (select count(*) from early_fetches) as early,
          (select count(*) from (select from errands where state in ('queued', 'sending') limit ${MOST}) as e) as errands,
          (select count(*) from crowds where state = 'running') as crowds`,
      values: [ts(now)]
    }),
    db.query<{ channel: string; n: number; oldest: number | null }>({
      name: 'metrics-outbox',
      text: `
        select channel, count(*) as n, min(try_at) as oldest
        from (select channel, try_at from messages where state in ('queued', 'sending') and try_at <= $1 limit ${MOST}) as m
        group by 1`,
      values: [ts(now)]
    }),
    db.query<{ what: string; n: number }>({
      name: 'metrics-done',
      text: `
        select c.what, sum(c.n) as n
        from journeys j
        cross join lateral (
          -- Journey by journey, along the key: there is a row a day beside these.
          select what, sum(n) as n from counters where journey_id = j.id and day = '${ALL_DAYS}' group by 1
        ) c
        where c.what not in ('walking', 'standing', 'held') group by 1`
    }),
    db.query<{ what: string; n: number }>({
      name: 'metrics-hour',
      text: `select what, sum(n) as n from flow where quarter > $1::timestamptz - interval '1 hour' and quarter <= $1 group by 1`,
      values: [ts(now)]
    }),
    db.query<{ channel: string; stopped: boolean }>({
      name: 'metrics-channels',
      text: `select channel, stopped_at is not null or (select sending_stopped_at is not null from workspace) as stopped from channels`
    })
  ]);
  const registry = new Registry();
  const gauge = (name: string, help: string, labels: string[] = []): Gauge =>
    new Gauge({ name: `ambulo_${name}`, help, labelNames: labels, registers: [registry] });
  const w = waiting.rows[0];
  const seconds = (at: number | null | undefined): number =>
    at === null || at === undefined ? 0 : Math.max(0, (now - at) / 1000);
  gauge('inbox_waiting', `Happenings that wait to be handled, at most ${MOST}.`).set(w?.inbox ?? 0);
  gauge('inbox_oldest_seconds', 'Age of the oldest of them, by the workspace clock.').set(seconds(w?.inbox_oldest));
  gauge('agenda_due', `People whose time has come, at most ${MOST}.`).set(w?.due ?? 0);
  gauge('agenda_lag_seconds', 'How long the first of them has waited.').set(seconds(w?.due_oldest));
  gauge('set_aside', 'People whose work failed and waits for another try.').set(w?.aside ?? 0);
  gauge('early_fetches', 'Fetches within seconds of delivery that are not decided on yet.').set(w?.early ?? 0);
  gauge('errands_waiting', `Calls, notices and questions that wait, at most ${MOST}.`).set(w?.errands ?? 0);
  gauge('crowds_running', 'Many people at once that are under way.').set(w?.crowds ?? 0);
  const queued = gauge('outbox_waiting', `Messages that are due and have not gone out, at most ${MOST}.`, ['channel']);
  const oldest = gauge('outbox_oldest_seconds', 'How long the oldest of them has been due.', ['channel']);
  for (const channel of ['email', 'sms']) {
    const row = outbox.rows.find((r) => r.channel === channel);
    queued.set({ channel }, row?.n ?? 0);
    oldest.set({ channel }, seconds(row?.oldest));
  }
  const stopped = gauge('channel_stopped', 'Whether sending is stopped: 1, or 0.', ['channel']);
  for (const row of channels.rows) stopped.set({ channel: row.channel }, Number(row.stopped));
  const total = gauge(
    'happened_total',
    'What was done and happened since the beginning: steps, entries, ends, messages by outcome.',
    ['what']
  );
  for (const row of done.rows) total.set({ what: row.what }, row.n);
  const lately = gauge(
    'last_hour',
    'What happened in the last hour of the workspace clock: messages gone by channel, what people did.',
    ['what']
  );
  for (const row of hour.rows) lately.set({ what: row.what }, row.n);
  return { type: registry.contentType, text: await registry.metrics() };
}
