/**
 * Who was drawn at a split with a winner, over all people, and which lane won. The replay holds them all in memory; the
 * live engine has them counted by the database.
 */
import type { PersonState } from '../person/state.ts';
import type { Walk } from './walk.ts';

/** Someone whom chance gave a lane. `at` is UTC ms. */
export interface Drawn {
  person: PersonState;
  walk: Walk;
  lane: number;
  at: number;
}

/** Of one lane: how many were drawn, and how many of them did what the winner is found by. */
export interface Share {
  drawn: number;
  did: number;
}

export interface Draws {
  /** The lane that won; decided once a version, `null` until then. */
  readonly winner: number | null;
  draw(drawn: Drawn): void;
  /** When the n-th of all was drawn, UTC ms; `null` where there are fewer. */
  nth(n: number): number | null;
  /** What has come of the draws so far, lane by lane. `did` says it of one that is at hand. */
  shares(lanes: number, did: (drawn: Drawn) => boolean): Share[];
  /** Keeps the winner for good. */
  decide(lane: number): void;
}

/** Counts draws into the shares of their lanes, which are changed in place. */
export function addShares(shares: Share[], drawn: readonly Drawn[], did: (drawn: Drawn) => boolean): Share[] {
  for (const d of drawn) {
    const share = shares[d.lane];
    if (!share) continue;
    share.drawn++;
    if (did(d)) share.did++;
  }
  return shares;
}

/** Draws in memory. */
export class MemoryDraws implements Draws {
  winner: number | null = null;
  private readonly drawn: Drawn[] = [];

  draw(drawn: Drawn): void {
    this.drawn.push(drawn);
  }

  nth(n: number): number | null {
    return this.drawn[n - 1]?.at ?? null;
  }

  shares(lanes: number, did: (drawn: Drawn) => boolean): Share[] {
    return addShares(
      Array.from({ length: lanes }, () => ({ drawn: 0, did: 0 })),
      this.drawn,
      did
    );
  }

  decide(lane: number): void {
    this.winner = lane;
  }
}
