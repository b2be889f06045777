/** Every example of the published specification, run as it says. */
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { byHand, enters, put, run, story } from '../../tests/make.ts';
import { STEP_NAMES, type Step } from '../steps/index.ts';
import { checkJourney } from './parse.ts';
import { stepsOf } from './walk-document.ts';

const page = readFileSync(new URL('../../docs/journey-language.md', import.meta.url), 'utf8');
const examples = [...page.matchAll(/```json\n([\s\S]*?)```\n\n```trail\n([\s\S]*?)```/g)].map((m, i) => ({
  number: i + 1,
  lane: JSON.parse(m[1]!) as Step[],
  trail: m[2]!.trim().split('\n')
}));

describe('docs/journey-language.md', () => {
  it.each(examples)('example $number', ({ lane, trail }) => {
    const journey = byHand('try', lane);
    expect(checkJourney(JSON.parse(JSON.stringify(journey))).problems).toEqual([]);
    const lines = run([journey, byHand('other', [put('there')])], [enters('try')]);
    expect(story(lines)).toEqual(trail);
  });

  it('has one of every kind of step', () => {
    const kinds = new Set(examples.flatMap((e) => stepsOf(e.lane).map((s) => s.kind)));
    expect([...kinds].sort()).toEqual([...STEP_NAMES].sort());
  });
});
