/** What a batch did, collected as it comes and written at its end. */
import type { Happening } from '../../core/person/happening.ts';
import type { Errand, PersonState, SentMessage } from '../../core/person/state.ts';
import type { FactChange, TrailLine } from '../../core/person/world.ts';
import type { Walk } from '../../core/walk/walk.ts';
import type { Counted } from './count.ts';

/** What a batch collected, in the order in which it came. */
export interface BatchRecord {
  begun: { person: number; walk: Walk }[];
  /** Walks that were there before and have changed. */
  moved: { person: number; walk: Walk; before: Counted }[];
  /** `record`: the place among the person's records that the next one gets. */
  trail: { person: number; version: number; record: number; line: TrailLine }[];
  /** `by`: who set it off, where that came from outside. */
  happenings: { person: number; happening: Happening; by?: string }[];
  messages: { person: number; version: number; message: SentMessage; address: string }[];
  errands: { person: number; version: number; errand: Errand }[];
  changes: { person: number; at: number; change: FactChange; source: string; wording: string | null }[];
  /** Inbox rows that were worked off, each with the happening it turned out to be; `kept`: it is anything to remember. */
  handled: { person: number; id: number; at: number; message: number | null; given: Happening | null; kept: boolean }[];
  /** Where everyone stands afterwards. */
  agendas: Standpoint[];
}

/** Where someone stands after a batch. */
export interface Standpoint {
  person: number;
  next: number | null;
  worked: number;
  state: PersonState;
  /** What they did last in this batch themselves; `null` where they did nothing. */
  did: { name: string; at: number } | null;
  /** Whether they walked anywhere before it. */
  walked: boolean;
}

export const emptyRecord = (): BatchRecord => ({
  begun: [],
  moved: [],
  trail: [],
  happenings: [],
  messages: [],
  errands: [],
  changes: [],
  handled: [],
  agendas: []
});
