import { expect, it } from 'vitest';
import { branch, journey, mail, put, wait } from '../../tests/make.ts';
import { sideBySide } from './side-by-side.ts';

const signs = (rows: ReturnType<typeof sideBySide>): string =>
  rows.map((r) => `${r.sign}${(r.after ?? r.before)?.step ?? ''}`).join(' ');

it('what both have stands on one row; what only one has stands alone', () => {
  const before = journey([mail('a'), wait('w'), mail('b'), put('x')]);
  const after = journey([mail('a'), wait('w', 'P2D'), put('y'), put('x')]);
  expect(signs(sideBySide(before, after))).toBe('= =a ~w −b +put-y =put-x =');
});

it('a step that moved to a lane is gone there and new here', () => {
  const q = (yes: ReturnType<typeof mail>[]): ReturnType<typeof branch> => branch('q', 'yes', { tag: 't' }, yes, []);
  const rows = sideBySide(journey([mail('a'), q([])]), journey([q([mail('a')])]));
  expect(rows.filter((r) => (r.before ?? r.after)?.step === 'a').map((r) => r.sign)).toEqual(['−', '+']);
});

it('a rule of the journey in other words', () => {
  const rows = sideBySide(
    journey([], { goal: { when: { tag: 'a' } } }),
    journey([], { goal: { when: { tag: 'b' } }, idle: 'P90D' })
  );
  expect(rows.some((r) => r.sign === '~' && r.before?.moment === 'Goal')).toBe(true);
  expect(rows.at(-1)?.sign).toBe('+');
});

it('editions without anything in common are both shown whole', () => {
  const many = (name: string): ReturnType<typeof journey> =>
    journey(Array.from({ length: 3000 }, (_, i) => put(`${name}${i}`)));
  const rows = sideBySide(many('a'), many('b'));
  expect(rows.filter((r) => r.before)).toHaveLength(3002);
  expect(rows.filter((r) => r.after)).toHaveLength(3002);
});
