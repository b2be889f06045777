/** All starters, in the order in which they are shown. */
import { DATES } from './dates.ts';
import { ENGAGEMENT } from './engagement.ts';
import type { Starter } from './starter.ts';
import { WELCOME } from './welcome.ts';

export const STARTERS: readonly Starter[] = [...WELCOME, ...DATES, ...ENGAGEMENT];
export { startFrom, type Starter } from './starter.ts';
