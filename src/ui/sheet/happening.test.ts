import { describe, expect, it } from 'vitest';
import { happeningSchema } from '../../../core/condition/happening.ts';
import { mail } from '../../../tests/make.ts';
import { ABOUT, asking, HEARD } from './happening.ts';
import type { Nameable } from './panels/panel.ts';

const known: Nameable = {
  tags: [],
  fields: [],
  scores: [],
  lists: [],
  segments: [],
  rungs: [],
  messages: [mail('a'), mail('b')],
  tasks: [{ key: 'k', kind: 'task', title: 'Call' }],
  journeys: []
};

describe('what is listened for', () => {
  it.each(HEARD.map(([name]) => [name] as const))('%s: what the form makes is one the schema knows', (name) => {
    const made = asking(name, { happening: 'clicked' }, known);
    expect(happeningSchema.safeParse(made).success).toBe(true);
    expect(made.of).toBe({ message: 'b', task: 'k' }[ABOUT[name] as string]);
  });

  it('another act of the same message stays with that message, and loses what only the other could ask', () =>
    expect(asking('opened', { happening: 'clicked', of: 'a', link: 'https://quillmoor.example/' }, known)).toEqual({
      happening: 'opened',
      of: 'a'
    }));

  it('without a message before it, it asks about any', () =>
    expect(asking('replied', { happening: 'clicked' }, { ...known, messages: [] })).toEqual({ happening: 'replied' }));
});
