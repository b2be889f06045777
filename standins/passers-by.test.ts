import { expect, it } from 'vitest';
import { reactionsToMail, reactionsToText } from './passers-by.ts';

const mail = (n: number) => ({
  id: n,
  messageId: `<${n}@quillmoor.example>`,
  to: `p${n}@people.example`,
  date: '2027-03-01T09:00:00.000Z',
  text: 'See http://127.0.0.1:1/l/token\n\nUnsubscribe: http://127.0.0.1:1/u/token\n',
  html: '<img src="http://127.0.0.1:1/o/token" width="1"'
});

it('does the same for the same seed, and otherwise for another', () => {
  const run = (seed: string): string =>
    JSON.stringify(Array.from({ length: 50 }, (_, n) => reactionsToMail(seed, mail(n))));
  expect(run('a')).toBe(run('a'));
  expect(run('a')).not.toBe(run('b'));
});

it('reacts after the mail came, on quarter hours, in believable shares', () => {
  const all = Array.from({ length: 2000 }, (_, n) => reactionsToMail('quillmoor', mail(n)));
  const times = all.flat().map((r) => r.at);
  expect(Math.min(...times)).toBeGreaterThanOrEqual(Date.parse('2027-03-01T09:00:00Z'));
  expect(times.every((t) => t % 900_000 === 0)).toBe(true);
  const opened = all.filter((r) => r.length).length / all.length;
  const clicked =
    all.filter((r) => r.some(({ act }) => act.do === 'fetch' && act.url.includes('/l/'))).length / all.length;
  expect(opened).toBeGreaterThan(0.35);
  expect(opened).toBeLessThan(0.65);
  expect(clicked).toBeLessThan(opened / 2);
});

it('answers texts as the phone they came to', () => {
  const acts = Array.from({ length: 300 }, (_, n) =>
    reactionsToText('s', { id: `t${n}`, number: `+4477009${n}`, at: '2027-03-01T09:00:00Z', text: 'hello' })
  ).flat();
  expect(acts.length).toBeGreaterThan(5);
  expect(acts.every(({ act }) => act.do === 'reply')).toBe(true);
});
