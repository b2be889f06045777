import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { journey, mail, put } from '../../tests/make.ts';
import type { Condition } from '../condition/schema.ts';
import type { Journey } from '../journey/schema.ts';
import { applyEdit, type Edit } from '../edit/edit.ts';
import { changesBetween } from './changes.ts';
import { conditionWords } from './condition.ts';
import { readThrough } from './read-through.ts';
import { and, durationShort, durationWords, momentWords } from './words.ts';

const demo = JSON.parse(readFileSync('demo/journeys/after-the-first-visit.journey.json', 'utf8')) as Journey;
const D = 86_400_000;

it('tells the demo journey in sentences, with the day of each step', () => {
  const told = readThrough(demo).map((s) => `${s.moment.padEnd(8)}${'  '.repeat(s.depth)}${s.text}`);
  expect(told).toContain('Entry   Whoever gets the tag first-visit enters, once, if they gave consent for email.');
  expect(told).toContain('          Those who opened Thank you:');
  expect(told).toContain('Day 5       They get the email “Member night”.');
  expect(told).toContain('Goal    The goal is that they follow a link of Member night within 30 days. They stay on.');
});

describe('conditions in words', () => {
  it.each<[Condition, string]>([
    [{ tag: 'keen' }, 'have the tag keen'],
    [{ not: { tag: 'keen' } }, 'do not have the tag keen'],
    [{ all: [{ tag: 'a' }, { not: { consent: 'sms' } }] }, 'have the tag a and gave no consent for text'],
    [{ not: { all: [{ tag: 'a' }, { tag: 'b' }] } }, 'do not have the tag a or do not have the tag b'],
    [{ field: 'town', is: 'Quillmoor' }, 'whose town is Quillmoor'],
    [{ not: { field: 'town', is: 'Quillmoor' } }, 'whose town is not Quillmoor'],
    [{ field: 'town', set: false }, 'have no town'],
    [{ did: 'clicked', of: 'x', link: 'https://quillmoor.example' }, 'followed a link of X (https://quillmoor.example)']
  ])('%j', (condition, expected) => expect(conditionWords(condition, () => 'X')).toBe(expected));
});

it.each([
  [0, 0, 'Entry'],
  [2 * D, 2 * D, 'Day 2'],
  [2 * D, 5 * D, 'Day 2–5'],
  [7_200_000, 7_200_000, '+2 h'],
  [D + 7_200_000, D + 7_200_000, 'Day 1 + 2 h'],
  [0, 90 * 60_000, 'Entry to +1 h 30 min']
])('the moment %d to %d is %s', (min, max, expected) => expect(momentWords(min, max)).toBe(expected));

it('says durations and lists', () => {
  expect(durationWords('P1DT12H')).toBe('1 day 12 hours');
  expect(durationShort('PT90M')).toBe('1 h 30 min');
  expect(and(['a', 'b', 'c'])).toBe('a, b and c');
});

describe('what changed', () => {
  const before = journey([mail('a'), put('x')]);
  it.each<[Edit, string[]]>([
    [{ edit: 'patch', key: 'a', set: { subject: 'New' } }, ['Changed: email “New” (subject).']],
    [{ edit: 'remove', key: 'a' }, ['Removed: email “About a”.']],
    [{ edit: 'insert', lane: ['lane'], index: 0, step: mail('b') }, ['Added: email “About b”.']],
    [{ edit: 'move', key: 'a', by: 1 }, ['Changed: the order of steps.']],
    [{ edit: 'journey', set: { goal: { when: { tag: 'x' } } } }, ['Changed: the goal.']],
    [{ edit: 'patch', key: 'a', set: {} }, []]
  ])('%j', (edit, expected) =>
    expect(changesBetween(before, applyEdit(before, edit).document).map((c) => c.text)).toEqual(expected)
  );
});
