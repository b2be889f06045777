import { expect, it } from 'vitest';
import { branch, journey, mail, MONDAY, reachable, text, wait } from '../../tests/make.ts';
import type { PersonState } from '../person/state.ts';
import { firstDays } from './first-week.ts';

const people = (n: number, change?: (p: PersonState) => void): PersonState[] =>
  Array.from({ length: n }, (_, i) => reachable(`p${i}`, change));
const told = (days: ReturnType<typeof firstDays>): string[] =>
  days.flatMap(({ day, email, sms }) =>
    email[1] + sms[1] ? [`${day}: ${email.join('-')} emails, ${sms.join('-')} texts`] : []
  );

const draft = journey([
  mail('a'),
  wait('w', 'P2D'),
  branch('b', 'opened', { did: 'opened', of: 'a' }, [mail('c'), wait('v'), mail('d')], [text('t')])
]);

it('lies between nobody reacting and everybody reacting, day by day', () => {
  expect(told(firstDays(draft, people(10), null, MONDAY))).toEqual([
    '0: 10-10 emails, 0-0 texts',
    '2: 0-10 emails, 0-10 texts',
    '3: 0-10 emails, 0-0 texts'
  ]);
});

it('heeds consent, limits and a goal that is reached', () => {
  const silent = people(4, (p) => void (p.consent.sms = 'withdrawn'));
  expect(told(firstDays(draft, silent, null, MONDAY))[1]).toBe('2: 0-4 emails, 0-0 texts');
  const limited = {
    format: 'ambulo.settings/1' as const,
    limits: [{ channel: 'email' as const, atMost: 1, per: 'P5D' }]
  };
  expect(told(firstDays(draft, people(3), limited, MONDAY)).at(-1)).toMatch(/^5: 0-3 emails/);
  const won = { ...draft, goal: { when: { happening: 'clicked' as const, of: 'a' } } };
  expect(told(firstDays(won, people(2), null, MONDAY))).toEqual([
    '0: 2-2 emails, 0-0 texts',
    '2: 0-0 emails, 0-2 texts'
  ]);
});

it('lets each in once, whatever else would let them in', () => {
  const had = people(3, (p) => void p.tags.add('in'));
  const existing = { ...draft, entry: { on: [{ happening: 'tag_added' as const, tag: 'in' }], existing: true } };
  expect(told(firstDays(existing, had, null, MONDAY))[0]).toBe('0: 3-3 emails, 0-0 texts');
});

it('changes nothing of the people it is asked about', () => {
  const some = people(2);
  const before = JSON.stringify(some.map((p) => [...p.fields]));
  firstDays(draft, some, null, MONDAY);
  expect(JSON.stringify(some.map((p) => [...p.fields]))).toBe(before);
  expect(some.every((p) => p.walks.length === 0)).toBe(true);
});

it('a loop that goes round every second does not fill the week', () => {
  const round = journey([mail('a'), wait('w', 'PT1S'), { key: 'r', kind: 'loop', to: 'a' }]);
  const [first, ...rest] = firstDays(round, people(1), null, MONDAY);
  expect(first?.email[1]).toBeGreaterThan(100);
  expect(first?.email[1]).toBeLessThan(300);
  expect(rest.every((d) => d.email[1] === 0)).toBe(true);
});
