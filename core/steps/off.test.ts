/** Steps that are off: passed over wherever they stand, and nothing counts on them. */
import { describe, expect, it } from 'vitest';
import { did, happens, HOUR, journey, mail, put, run, story, tagged, text, wait } from '../../tests/make.ts';
import { parseJourney } from '../journey/parse.ts';
import { changesBetween } from '../tell/changes.ts';
import { readThrough } from '../tell/read-through.ts';
import { layoutSheet } from '../sheet/layout.ts';
import { canBeOff, STEP_KINDS, type Step, type StepName } from './index.ts';

const off = (step: Step): Step => ({ ...step, off: true }) as Step;
const awaited: Step = { key: 'k', kind: 'task', title: 'Call', await: { limit: 'P2D' } };
const opened: Step = {
  key: 'l',
  kind: 'listen',
  for: [{ label: 'opened', when: { happening: 'opened', of: 'a' }, lane: [] }],
  limit: 'P2D',
  otherwise: { label: 'late', lane: [] }
};

describe('a step that is off', () => {
  it.each<[string, Step[], Parameters<typeof run>[1], string[]]>([
    ['is passed over', [off(mail('a')), put('x')], [], ['+0 skipped a off', '+0 tagged put-x', '+0 left finished']],
    ['is not waited for', [off(awaited), put('x')], [], ['+0 skipped k off', '+0 tagged put-x', '+0 left finished']],
    [
      'hands nobody over',
      [off({ key: 'h', kind: 'handover', journey: 'try' })],
      [],
      ['+0 skipped h off', '+0 left finished']
    ],
    [
      'was never sent: a listen for it ends at once',
      [off(mail('a')), opened],
      [],
      ['+0 skipped a off', '+0 took l late', '+0 left finished']
    ],
    [
      'is no message that keeps someone who unsubscribed',
      [mail('a'), wait('w'), off(text('t')), mail('b')],
      [did('unsubscribed', 'a', HOUR)],
      ['+0 sent a', '+0 waiting w', '+1h left unsubscribed']
    ],
    [
      'skipped by a wait, it is skipped as what it is to the wait',
      [{ key: 'w', kind: 'wait', until: { date: '2027-01-01' } }, off(put('x'))],
      [],
      ['+0 skipped put-x off', '+0 left finished']
    ]
  ])('%s', (_, lane, said, expected) =>
    expect(story(run(journey(lane), [tagged('in'), ...said])).slice(1)).toEqual(expected)
  );

  it('goals are still looked at before it', () => {
    const goal = { when: { tag: 'done' } };
    const lane = [wait('w'), off(mail('a')), mail('b')];
    const lines = run(journey(lane, { goal }), [tagged('in'), { ...tagged('done'), after: HOUR }]);
    expect(story(lines).at(-1)).toBe('+1h left goal');
  });

  it('answers to another message do not count for it', () => {
    const lane = [mail('b'), off(mail('a')), opened];
    const lines = run(journey(lane), [tagged('in'), happens('opened', HOUR, { channel: 'email' })]);
    expect(story(lines)).toContain('+0 took l late');
  });

  const kinds = Object.keys(STEP_KINDS) as StepName[];
  it.each(kinds)('%s: the schema and the sheet agree on whether it may be', (kind) => {
    const step = STEP_KINDS[kind].create('s') as Step;
    const { problems } = parseJourney(JSON.stringify(journey([{ ...step, off: true } as Step])));
    const refused = problems.some((p) => /\boff\b/.test(`${p.path} ${p.message}`));
    expect(refused).toBe(!canBeOff(step));
  });

  it('takes no time on the ruler, and is told as what it is', () => {
    const before = journey([awaited, put('x')]);
    const after = journey([off(awaited), put('x')]);
    const last = (j: typeof before): number => layoutSheet(j.lane).cards.at(-1)?.elapsed.max ?? -1;
    expect([last(before) > 0, last(after)]).toEqual([true, 0]);
    expect(readThrough(after).find((s) => s.step === 'k')?.text).toMatch(/^\(Off, passed over: /);
    expect(changesBetween(before, after).map((c) => c.text)).toEqual(['Changed: task “Call” (turned off).']);
    expect(changesBetween(after, before).map((c) => c.text)).toEqual(['Changed: task “Call” (turned on again).']);
  });
});
