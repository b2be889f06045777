/** A happening as the engine handles it: something that occurred to or by a person at an instant. */
import type { Channel } from '../condition/schema.ts';

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
  /** The message it is about. `walk` is a walk of the same person. */
  about?: { walk: number; journey: string; step: string };
  channel?: Channel;
  tag?: string;
  link?: string;
  /** A reply's words. */
  text?: string;
  field?: string;
  to?: string;
  score?: string;
  points?: number;
  journey?: string;
  as?: string;
  reason?: string;
  hard?: boolean;
  items?: OrderLine[];
  order?: string;
  amount?: string | number;
  /** Done by a mail scanner or prefetching proxy: recorded, matches nothing. */
  machine?: boolean;
}
