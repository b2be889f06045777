/** A happening as the engine handles it: something that occurred to or by a person at an instant. */
import type { Channel, FieldValue } from './values.ts';

export interface OrderLine {
  sku: string;
  name?: string;
  category?: string;
  price?: string | number;
  quantity?: number;
}

export interface Happening {
  name: string;
  /** When it occurred, UTC ms. */
  at: number;
  /** The message or task it is about. `walk` is a walk of the same person. */
  about?: { walk: number; journey: string; step: string };
  channel?: Channel;
  tag?: string;
  list?: string;
  segment?: string;
  link?: string;
  /** A reply's words. */
  text?: string;
  url?: string;
  form?: string;
  field?: string;
  to?: FieldValue;
  from?: string;
  score?: string;
  /** Of a score: the total before, and now. */
  before?: number;
  points?: number;
  ladder?: string;
  journey?: string;
  as?: string;
  reason?: string;
  outcome?: string;
  hard?: boolean;
  items?: OrderLine[];
  order?: string;
  cart?: string;
  coupon?: string;
  amount?: string | number;
  /** The name of a custom happening, and the reference `same` goes by. */
  custom?: string;
  ref?: string;
  /** A form's answers, or the data of a custom happening. */
  data?: Record<string, unknown>;
  /** Done by a mail scanner or prefetching proxy: recorded, matches nothing unless a filter asks for it. */
  machine?: boolean;
  /** The walk that set it off, directly or through a score, rung or segment. */
  cause?: number;
  /** Its place among all records of the person. */
  record?: number;
}

/** Points that somebody was given by hand. No condition asks about it: what it comes to is `score_reached`. */
export const GIVEN_POINTS = 'points_given';
