/** What needs somebody, each kind from a file of its own, in the order in which Today shows them. */
import type { Db } from '../../db/pool.ts';
import { replyNeeds, strayNeeds } from './answers.ts';
import { asideNeeds } from './aside.ts';
import { channelNeeds } from './channels.ts';
import { doubtNeeds } from './doubts.ts';
import { errandNeeds } from './errands.ts';
import { findingNeeds } from './findings.ts';
import { liveAtNeeds } from './live-at.ts';
import { failureNeeds, retryNeeds } from './messages.ts';
import type { Need } from './need.ts';
import { roundNeeds } from './rounds.ts';
import { taskNeeds } from './tasks.ts';

/** `now`: the present instant, UTC ms. */
const SOURCES: ((db: Db, now: number) => Promise<Need[]>)[] = [
  asideNeeds,
  channelNeeds,
  doubtNeeds,
  roundNeeds,
  liveAtNeeds,
  retryNeeds,
  failureNeeds,
  errandNeeds,
  taskNeeds,
  findingNeeds,
  replyNeeds,
  strayNeeds
];

export const needsYou = async (db: Db, now: number): Promise<Need[]> =>
  (await Promise.all(SOURCES.map((source) => source(db, now)))).flat();
