import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { journey, mail, put } from '../../tests/make.ts';
import { anyJourneys } from '../../tests/language.ts';
import { needsOf } from '../journey/needs.ts';
import type { Journey } from '../journey/schema.ts';
import { journeyMarkdown } from '../tell/markdown.ts';
import { sheetPicture } from './picture.ts';

const demo = JSON.parse(readFileSync('demo/journeys/after-the-first-visit.journey.json', 'utf8')) as Journey;

/** Elements of an XML text that are not closed, or closed out of their order. */
function unclosed(xml: string): string[] {
  const open: string[] = [];
  for (const [, close, name = '', rest = ''] of xml.matchAll(/<(\/?)([a-z]+)((?:[^<>"]|"[^"<]*")*)>/g)) {
    if (close) {
      if (open.pop() !== name) return [`</${name}>`];
    } else if (!rest.endsWith('/')) open.push(name);
  }
  // Whatever else looks like a tag is none that may stand there.
  if (/<(?!\/?[a-z]+(?:[^<>"]|"[^"<]*")*>)/.test(xml)) open.push('<');
  return open;
}

it('a picture has every card, lane and moment, and says what changed by sign and word', () => {
  const svg = sheetPicture(demo, new Map([['keen', 'added']]));
  for (const text of [
    'After the first visit',
    'Thank you',
    'keen',
    'Member night',
    'Day 2',
    'did not open it',
    '+ added'
  ])
    expect(svg).toContain(text);
});

it('nothing that people wrote is markup, in the picture or in the document', () => {
  const hostile = journey(
    [
      { ...mail('a'), name: '<script>alert(1)</script>', subject: '# "quoted" & [link](javascript:x)' } as never,
      put('x')
    ],
    {
      name: '</svg><b>'
    }
  );
  const svg = sheetPicture(hostile);
  expect(svg).not.toContain('<script');
  expect(svg.match(/<\/svg>/g)).toHaveLength(1);
  const text = journeyMarkdown(hostile);
  expect(text).not.toMatch(/^# "quoted"/m);
  expect(text).not.toMatch(/(?<!\\)\]\(javascript/);
});

it('any journey gives a picture that is well-formed, and a document', () => {
  fc.assert(
    fc.property(anyJourneys, (all) => {
      for (const j of all) {
        expect(unclosed(sheetPicture(j))).toEqual([]);
        expect(journeyMarkdown(j)).not.toMatch(/undefined|\[object|NaN/);
      }
    }),
    { numRuns: 40 }
  );
});

it('what it needs that has to be there', () => {
  expect(needsOf(demo)).toEqual({ fields: [], tags: ['first-visit', 'staff'], lists: [], segments: [], journeys: [] });
});
