/**
 * What the engine knows of one person while it works on them: facts, messages
 * sent to them, what they did, and their walks. Plain data, changed in place by
 * `core/person/run.ts` alone. The replay builds it from files, the live engine
 * loads it with set queries.
 */
import type { Channel, ConsentState, FieldValue } from './values.ts';
import type { Happening, OrderLine } from './happening.ts';
import type { Walk } from '../walk/walk.ts';

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
  /** The address it went to. */
  address?: string;
  /** A ticket or receipt: no limit counts it. */
  service?: boolean;
}

/**
 * What a walk has somebody or something else do: a task for a colleague, a notice to one, a call of a web address, a message
 * that asks for a consent.
 */
export const ERRANDS = ['task', 'notify', 'call', 'ask'] as const;
export type ErrandKind = (typeof ERRANDS)[number];

/** An errand: one a walk, step and visit. */
export interface Errand {
  kind: ErrandKind;
  walk: number;
  journey: string;
  step: string;
  visit: number;
  /** UTC ms. */
  at: number;
  /** Its place among the records of the person. */
  order: number;
}

/** A task made for a colleague. */
export interface MadeTask {
  walk: number;
  journey: string;
  step: string;
  order: number;
}

/** What a score model needs to know beside the points: when they last rose, and what each rule gave lately. */
export interface ScoreHistory {
  /** UTC ms of the last rise; decay is counted from here. */
  risen: number;
  /** How many decays since then are taken off already. */
  decays: number;
  /** By rule with a cap: what it added when. */
  added: Record<number, { at: number; points: number }[]>;
}

/** An order as it stands. Refunds lower it at its own date. */
export interface Order {
  id: string;
  /** UTC ms. */
  at: number;
  /** Its place among the records of the person. */
  record?: number;
  /** What is left of the whole. */
  left: number;
  /** Refunded as a whole: an order no more. */
  gone: boolean;
  lines: { sku: string; category: string | undefined; left: number; total: number }[];
  /** As it was bought, for a refund that names nothing. */
  items: OrderLine[];
}

/** Where a person stands on a ladder. */
export interface RungStanding {
  /** When they last did what counts, UTC ms. */
  last: number;
  rung: string;
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
  tasks: MadeTask[];
  /** What happened about messages and tasks, by order of recording. */
  reactions: Happening[];
  /** Everything else that some condition may ask about, by order of recording. */
  record: Happening[];
  orders: Order[] | null;
  segments: Set<string>;
  /** Which edition of the segments the person was last held against; 0 for none. */
  looked: number;
  /** Up to which edition of models and ladders points and rungs were worked out anew; 0 for none. */
  scored: number;
  scoreHistory: Map<string, ScoreHistory> | null;
  rungs: Map<string, RungStanding> | null;
  /** By journey, the last instant at which its date or timetable let this person in or would have. */
  dated: Map<string, number> | null;
  /** By paused journey, the records it has not heard of yet. */
  missed: Map<string, number[]> | null;
  /** Journeys that a hand-over has decided on and not yet begun. */
  promised: string[];
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
    tasks: [],
    reactions: [],
    record: [],
    orders: null,
    segments: new Set(),
    looked: 0,
    scored: 0,
    scoreHistory: null,
    rungs: null,
    dated: null,
    missed: null,
    promised: [],
    order: 1
  };
}

/** The address a channel writes to; `null` where the person has none. */
export function addressOf(person: PersonState, channel: Channel): string | null {
  const value = person.fields.get(channel === 'email' ? 'email' : 'phone');
  return typeof value === 'string' && value !== '' ? value : null;
}
