/** Conditions told part by part, with what somebody had. */
import { describe, expect, it } from 'vitest';
import { MONDAY, reachable } from '../../tests/make.ts';
import { compileSettings } from '../settings/workspace.ts';
import { compileCondition, type Asked } from './evaluate.ts';
import { explain, type Explained } from './explain.ts';
import type { Condition } from './schema.ts';

const asked = (): Asked => {
  const person = reachable('p', (p) => {
    p.tags.add('keen');
    p.fields.set('town', 'Port Elm');
    p.scores.set('interest', 7);
    p.record.push(
      { name: 'page_seen', at: MONDAY, url: '/dome', record: 1 },
      { name: 'page_seen', at: MONDAY + 5, url: '/x', record: 2 }
    );
  });
  return { person, walk: null, at: MONDAY + 10, zone: 'UTC', workspace: compileSettings(null) };
};
const told = (condition: Condition): Explained => explain(condition, '', asked(), String);

describe('explaining a condition', () => {
  it('says of each part whether it holds, and the value there is', () => {
    expect(
      told({
        all: [
          { tag: 'keen' },
          { field: 'town', is: 'Far Hill' },
          { score: 'interest', gte: 5 },
          { consent: 'sms' },
          { did: 'page_seen', url: '/dome' }
        ]
      })
    ).toEqual({
      words: '',
      holds: false,
      link: 'all',
      parts: [
        { words: 'have the tag keen', holds: true },
        { words: 'whose town is Far Hill', holds: false, had: { kind: 'field', value: 'Port Elm' } },
        { words: 'whose points of interest is at least 5', holds: true, had: { kind: 'number', value: 7 } },
        { words: 'gave consent for text', holds: true, had: { kind: 'words', value: 'given' } },
        { words: expect.stringContaining('/dome'), holds: true, had: { kind: 'times', value: 1, last: MONDAY } }
      ]
    });
  });

  it('turns "not" into the parts, so that each that holds speaks for it', () => {
    expect(told({ not: { all: [{ tag: 'keen' }, { tag: 'gone' }] } })).toEqual({
      words: '',
      holds: true,
      link: 'any',
      parts: [
        { words: 'do not have the tag keen', holds: false },
        { words: 'do not have the tag gone', holds: true }
      ]
    });
    expect(told({ field: 'town', not: 'Far Hill' })).toMatchObject({ holds: true, had: { value: 'Port Elm' } });
    expect(told({ any: [{ not: { list: 'letter' } }] })).toEqual({ words: 'are not on the list letter', holds: true });
  });

  it.each<Condition>([
    { all: [{ any: [{ tag: 'a' }, { not: { tag: 'keen' } }] }, { not: { not: { tag: 'keen' } } }] },
    { not: { any: [{ tag: 'a' }, { score: 'interest', lt: 9 }] } },
    { any: [{ spent: { gt: 1 } }, { orders: { is: 0 } }, { rung: 'warm' }, { walking: 'j' }, { segment: 's' }] }
  ])('agrees with what the engine says: %j', (condition) => {
    expect(told(condition).holds).toBe(compileCondition(condition, '')(asked()));
  });
});
