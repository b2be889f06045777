import { expect, it } from 'vitest';
import { slotOf } from './rates.ts';

it.each([
  [600, { seconds: 5, most: 50 }],
  [60, { seconds: 5, most: 5 }],
  [12, { seconds: 5, most: 1 }],
  [6, { seconds: 10, most: 1 }],
  [1, { seconds: 60, most: 1 }],
  [0.5, { seconds: 120, most: 1 }]
])('%s a minute go out in even portions', (perMinute, slot) => expect(slotOf(perMinute)).toEqual(slot));
