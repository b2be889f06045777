/** Rows of what happened and what was sent, as the core knows them. */
import { presentName } from '../../core/journey/names.ts';
import type { Happening } from '../../core/person/happening.ts';
import { restoreHappening } from '../../core/person/kept.ts';
import type { SentMessage } from '../../core/person/state.ts';
import type { Channel } from '../../core/person/values.ts';
import type { PlanBook } from './plans.ts';

export interface HappeningRow {
  person_id: number;
  id: number;
  name: string;
  at: number;
  walk_id: number | null;
  journey_id: number | null;
  step: string | null;
  record: number | null;
  message_id?: number | null;
  /** Of the inbox: who says so, and by which id. */
  source?: string;
  source_id?: string | null;
  data: Record<string, unknown>;
}

export interface SentRow {
  person_id: number;
  walk_id: number;
  journey_id: number;
  step: string;
  visit: number;
  channel: Channel;
  address: string;
  created_at: number;
  record: number;
  service: boolean;
}

/** A row as the happening it was. */
export function happeningOf(r: HappeningRow, plans: PlanBook): Happening {
  const about =
    r.walk_id !== null && r.step !== null && r.journey_id !== null
      ? { walk: r.walk_id, journey: plans.keyOf(r.journey_id), step: r.step }
      : undefined;
  const { about: _, by: __, ...data } = r.data;
  for (const kind of ['tag', 'list', 'field'] as const)
    if (typeof data[kind] === 'string') data[kind] = presentName(plans.names, kind, data[kind]);
  return restoreHappening({ name: r.name, at: r.at, about, record: r.record ?? undefined, data });
}

/** What was sent stands in messages alone. */
export const sentAsHappening = ({ walk, journey, step, channel, at, order }: SentMessage): Happening => ({
  name: 'sent',
  at,
  channel,
  about: { walk, journey, step },
  record: order
});
/** In order of recording. */
export const byRecord = (a: Happening, b: Happening): number => (a.record ?? 0) - (b.record ?? 0);

export const sentOf = (r: SentRow, plans: PlanBook): SentMessage => ({
  walk: r.walk_id,
  journey: plans.keyOf(r.journey_id),
  step: r.step,
  visit: r.visit,
  channel: r.channel,
  at: r.created_at,
  order: r.record,
  address: r.address,
  ...(r.service ? { service: true } : {})
});
