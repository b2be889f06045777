/** What the core computes and the live engine does not yet: refused with its path, never run as something else. */
import { readdirSync, readFileSync } from 'node:fs';
import { expect, it } from 'vitest';
import { branch, journey, mail, put, wait } from '../../tests/make.ts';
import type { Journey } from '../journey/schema.ts';
import { pathText } from '../journey/problems.ts';
import { STEP_NAMES, type Step } from '../steps/index.ts';
import { STEP_KINDS } from '../steps/index.ts';
import { beyondLive, LIVE_KINDS, SHEET_KINDS } from './live-subset.ts';

const paths = (lane: Step[], rest: Partial<Journey> = {}): string[] =>
  beyondLive(journey(lane, rest)).map((p) => pathText(p.path));

it.each<[string, Step[], Partial<Journey>, string[]]>([
  [
    'what goes live today',
    [mail('a'), wait('w'), branch('b', 'x', { did: 'opened', of: 'a' }, [put('y')], [])],
    { goal: { when: { happening: 'purchased', product: 'x' } }, idle: 'P9D' },
    []
  ],
  ['a step of another kind', [{ key: 'l', kind: 'task', title: 'Call' }], {}, ['lane[0].kind']],
  ['a message over a limit', [{ ...mail('a'), over: 'skip' } as Step], {}, ['lane[0].over']],
  ['a saved message', [{ key: 'a', kind: 'email', message: 'm' }], {}, ['lane[0].message']],
  [
    'another condition, inside others',
    [branch('b', 'x', { all: [{ tag: 'x' }, { not: { segment: 's' } }] }, [], [])],
    {},
    ['lane[0].lanes[0].when.all[1].not']
  ],
  ['another condition', [branch('b', 'x', { segment: 's' }, [], [])], {}, ['lane[0].lanes[0].when']],
  ['what was ever done', [branch('b', 'x', { did: 'opened' }, [], [])], {}, ['lane[0].lanes[0].when']],
  [
    'of another journey',
    [mail('a'), branch('b', 'x', { did: 'opened', of: 'a', journey: 'other' }, [], [])],
    {},
    ['lane[1].lanes[0].when.journey']
  ],
  ['another way in', [mail('a')], { entry: { on: [{ happening: 'page_seen' }] } }, ['entry.on[0].happening']],
  ['again', [mail('a')], { entry: { again: 'again', date: { on: '2027-05-01' } } }, ['entry.date']],
  ['another goal', [mail('a')], { goal: { when: { happening: 'form_sent', form: 'x' } } }, ['goal.when.happening']],
  [
    'a machine',
    [mail('a')],
    { goal: { when: { happening: 'opened', of: 'a', machine: 'any' } } },
    ['goal.when.machine']
  ],
  ['a leave rule', [mail('a')], { leaveWhen: [{ when: { rung: 'warm' }, reason: 'x' }] }, ['leaveWhen[0].when']]
])('%s', (_, lane, rest, expected) => expect(paths(lane, rest)).toEqual(expected));

it('every kind of step either goes live or is refused, and those of the sheet go live', () => {
  for (const kind of STEP_NAMES) {
    const made = STEP_KINDS[kind].create('k') as Step;
    expect(paths([made]).includes('lane[0].kind'), kind).toBe(!LIVE_KINDS.includes(kind));
    if (SHEET_KINDS.includes(kind)) expect(LIVE_KINDS).toContain(kind);
  }
});

it('the demo’s journeys all go live', () => {
  for (const file of readdirSync('demo/journeys'))
    expect(beyondLive(JSON.parse(readFileSync(`demo/journeys/${file}`, 'utf8')) as Journey)).toEqual([]);
});
