/**
 * What the engine knows of one person while it works on them: facts, messages
 * sent to them, what they did, and their walks. Plain data, changed in place by
 * `core/person/run.ts` alone. The replay builds it from files, the live engine
 * loads it with set queries.
 */
import type { Channel } from '../condition/schema.ts';
import type { Walk } from '../walk/walk.ts';

export type FieldValue = string | number | boolean;
/** Consent for one channel; absent where it was never asked. */
export type ConsentState = 'given' | 'pending' | 'withdrawn';

/** One message handed to the outbox. `order` rises with every record of the person. */
export interface SentMessage {
  walk: number;
  journey: string;
  step: string;
  visit: number;
  channel: Channel;
  /** UTC ms. */
  at: number;
  order: number;
}

/** A recorded happening about one message of a walk. */
export interface Reaction {
  name: string;
  walk: number;
  step: string;
  at: number;
  order: number;
  link?: string;
}

export interface PersonState {
  /** Decides chance, so it never changes. */
  id: string;
  /** All fields by name, with `email`, `phone`, `first_name` and `zone` among them. */
  fields: Map<string, FieldValue>;
  tags: Set<string>;
  lists: Set<string>;
  consent: Partial<Record<Channel, ConsentState>>;
  /** Points by score model; absent is 0. */
  scores: Map<string, number>;
  /** Walks that are walking or still watched for their goal, oldest first. */
  walks: Walk[];
  /** Keys of the journeys this person has ever entered. */
  entered: Set<string>;
  /** The number the next walk gets; walks of a person are numbered from 1. */
  nextWalk: number;
  sent: SentMessage[];
  reactions: Reaction[];
  /** The order number the next record gets. */
  order: number;
}

/** A person of whom nothing is known yet but the id. */
export function newPerson(id: string): PersonState {
  return {
    id,
    fields: new Map(),
    tags: new Set(),
    lists: new Set(),
    consent: {},
    scores: new Map(),
    walks: [],
    entered: new Set(),
    nextWalk: 1,
    sent: [],
    reactions: [],
    order: 1
  };
}

/** The address a channel writes to; `null` where the person has none. */
export function addressOf(person: PersonState, channel: Channel): string | null {
  const value = person.fields.get(channel === 'email' ? 'email' : 'phone');
  return typeof value === 'string' && value !== '' ? value : null;
}
