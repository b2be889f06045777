/** Who was drawn at a split with a winner, over all people, and which lane won. */
import type { PersonState } from '../person/state.ts';
import type { Walk } from './walk.ts';

export interface Draws {
  drawn: { person: PersonState; walk: Walk; lane: number; at: number }[];
  /** Decided once a version; `null` until then. */
  winner: number | null;
}

export const newDraws = (): Draws => ({ drawn: [], winner: null });
