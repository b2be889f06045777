import { describe, expect, it } from 'vitest';
import { branch, journey, mail, put, text, wait } from '../../tests/make.ts';
import { STEP_KINDS, type Step } from '../steps/index.ts';
import { DAY, type Elapsed } from '../time/duration.ts';
import { applyEdit, copyOf, messagesBefore, newStep, type Edit } from './edit.ts';
import { readGapText } from './gap-text.ts';
import { begin, commit, redo, undo } from './history.ts';

const base = journey([
  mail('a'),
  wait('w', 'P2D'),
  branch('b', 'opened a', { did: 'opened', of: 'a' }, [put('keen')], [text('nudge')]),
  mail('z')
]);
const keys = (edit: Edit, document = base): string[] => applyEdit(document, edit).document.lane.map((s) => s.key);
const YES = ['lane', 2, 'lanes', 0, 'lane'];

describe('edits', () => {
  it.each<[string, Edit, string[]]>([
    ['insert', { edit: 'insert', lane: ['lane'], index: 1, step: put('x') }, ['a', 'put-x', 'w', 'b', 'z']],
    ['remove', { edit: 'remove', key: 'a' }, ['w', 'b', 'z']],
    ['move right', { edit: 'move', key: 'a', by: 1 }, ['w', 'a', 'b', 'z']],
    ['move left at the start changes nothing', { edit: 'move', key: 'a', by: -1 }, ['a', 'w', 'b', 'z']],
    ['a step that is gone changes nothing', { edit: 'remove', key: 'gone' }, ['a', 'w', 'b', 'z']],
    ['no wait', { edit: 'wait', lane: ['lane'], index: 2, for: null }, ['a', 'b', 'z']],
    [
      'a wait where there is none',
      { edit: 'wait', lane: ['lane'], index: 4, for: 'P1D' },
      ['a', 'w', 'b', 'z', 'wait-1']
    ]
  ])('%s', (_, edit, expected) => expect(keys(edit)).toEqual(expected));

  it('never changes the document it is given, and shares what did not change', () => {
    const before = JSON.stringify(base);
    const { document } = applyEdit(base, { edit: 'patch', key: 'a', set: { subject: 'New' } });
    expect(JSON.stringify(base)).toBe(before);
    expect(document.lane[2]).toBe(base.lane[2]);
    expect(document.lane[0]).toMatchObject({ subject: 'New' });
  });

  it('reaches steps inside lanes, and takes keys out', () => {
    const { document } = applyEdit(base, { edit: 'patch', key: 'put-keen', set: { add: ['very-keen'], note: 'x' } });
    const cleared = applyEdit(document, { edit: 'patch', key: 'put-keen', set: { note: undefined } }).document;
    expect(JSON.stringify(cleared)).toContain('very-keen');
    expect(JSON.stringify(cleared)).not.toContain('note');
  });

  it('a wait that is set anew keeps its key, so that people standing there are not lost', () => {
    expect(keys({ edit: 'wait', lane: ['lane'], index: 2, for: 'P9D' })).toEqual(['a', 'w', 'b', 'z']);
  });

  const listen: Step = {
    key: 'l',
    kind: 'listen',
    for: [{ label: 'clicked', when: { happening: 'clicked', of: 'a' }, lane: [put('keen')] }],
    limit: 'P3D',
    otherwise: { label: 'late', lane: [] }
  };
  const split = STEP_KINDS.split.create('s') as Step;
  const edited = (step: Step, ...edits: Edit[]): Step =>
    edits.reduce((document, edit) => applyEdit(document, edit).document, journey([mail('a'), step])).lane[1]!;

  it('lanes of a listen are added, asked something else, named and taken away; one stays', () => {
    const when = { happening: 'replied', of: 'a' } as const;
    const more = edited(
      listen,
      { edit: 'add-lane', key: 'l', label: 'clicked', when },
      { edit: 'patch-lane', key: 'l', place: 0, when: { tag: 'x' } },
      { edit: 'patch-lane', key: 'l', place: 2, label: 'too late' }
    );
    expect(more).toMatchObject({
      for: [
        { label: 'clicked', when: { tag: 'x' }, lane: [{ key: 'put-keen' }] },
        { label: 'clicked 2', when, lane: [] }
      ],
      otherwise: { label: 'too late' }
    });
    const one = edited(more, { edit: 'remove-lane', key: 'l', place: 0 }, { edit: 'remove-lane', key: 'l', place: 0 });
    expect(one).toMatchObject({ for: [{ label: 'clicked 2' }] });
  });

  it('lanes of a split are added and weighed; two stay', () => {
    const three = edited(
      split,
      { edit: 'add-lane', key: 's', label: 'third', weight: 50 },
      { edit: 'patch-lane', key: 's', place: 0, weight: 10 }
    );
    expect(three).toMatchObject({ lanes: [{ weight: 10 }, { weight: 50 }, { label: 'third', weight: 50, lane: [] }] });
    const remove: Edit = { edit: 'remove-lane', key: 's', place: 0 };
    expect(edited(three, remove, remove)).toMatchObject({ lanes: [{ label: 'second' }, { label: 'third' }] });
  });

  it('a new listen hears of the nearest email', () =>
    expect(newStep(base, 'listen', ['lane'], 4)).toMatchObject({
      for: [{ label: 'clicked About z', when: { happening: 'clicked', of: 'z' } }]
    }));

  it('gives lanes labels of their own', () => {
    const twice = applyEdit(
      applyEdit(base, { edit: 'add-lane', key: 'b', label: 'opened a', when: { tag: 'x' } }).document,
      { edit: 'remove-lane', key: 'b', place: 0 }
    ).document;
    expect(twice.lane[2]).toMatchObject({ lanes: [{ label: 'opened a 2' }] });
  });
});

describe('new steps and copies', () => {
  it('a branch asks about the email before it', () => {
    expect(newStep(base, 'branch', ['lane'], 4)).toMatchObject({
      key: 'branch',
      lanes: [{ label: 'opened About z', when: { did: 'opened', of: 'z' } }]
    });
    expect(newStep(base, 'branch', YES, 1)).toMatchObject({ lanes: [{ when: { of: 'a' } }] });
    expect(newStep(journey([]), 'branch', ['lane'], 0)).toMatchObject({ lanes: [{ when: { tag: '' } }] });
  });

  it('knows the messages on the way to a place', () => {
    expect(messagesBefore(base, YES, 0).map((s) => s.key)).toEqual(['a']);
    expect(messagesBefore(base, ['lane'], 4).map((s) => s.key)).toEqual(['a', 'nudge', 'z']);
  });

  it('a copy has keys of its own, and what pointed inside it points inside it', () => {
    const block = branch(
      'ask',
      'x',
      { tag: 't' },
      [
        mail('m'),
        branch('in', 'y', { all: [{ did: 'opened', of: 'm' }, { not: { did: 'clicked', of: 'a' } }] }, [], [])
      ],
      []
    );
    const copy = copyOf(journey([mail('a'), block]), block);
    expect(copy.key).toBe('ask-2');
    expect(JSON.stringify(copy)).toContain('"did":"opened","of":"m-2"');
    expect(JSON.stringify(copy)).toContain('"did":"clicked","of":"a"');
  });
});

describe('setting a wait', () => {
  const named: Step = { key: 'w', kind: 'wait', for: 'P2D', name: 'Settle in', aim: 'rest', note: 'ask Nuala' };
  const until: Step = { key: 'u', kind: 'wait', until: { weekdays: ['fri'], time: '16:00' } };
  const set = (lane: Step[], length: string | null): Step[] =>
    applyEdit(journey([mail('a'), ...lane, mail('b')]), {
      edit: 'wait',
      lane: ['lane'],
      index: lane.length + 1,
      for: length
    }).document.lane.slice(1, -1);
  it.each<[string, Step[], string | null, Step[]]>([
    ['keeps all else it says', [named], 'P5D', [{ ...named, for: 'P5D' }]],
    ['makes several for a time one', [named, wait('x', 'PT4H')], 'P5D', [{ ...named, for: 'P5D' }]],
    ['leaves a wait until something where it is', [until], 'P1D', [until, wait('wait-1', 'P1D')]],
    ['also behind one', [named, until], 'P5D', [{ ...named, for: 'P5D' }, until]],
    ['takes away only what waits for a time', [named, until], null, [until]],
    ['of none takes away nothing', [until], null, [until]]
  ])('%s', (_, lane, length, expected) => expect(set(lane, length)).toEqual(expected));
});

describe('what is typed into a gap', () => {
  it.each(['0foo', '0 x', '00zz'])('%s is a slip, and takes nothing away', (typed) =>
    expect(readGapText(typed, { min: 0, max: 0 } as Elapsed)).toHaveProperty('problem')
  );
  it.each(['', ' ', '0', '0d', '0 days', '00h'])('%j is no wait', (typed) =>
    expect(readGapText(typed, { min: 0, max: 0 } as Elapsed)).toEqual({ waits: [] })
  );
  const day3 = { min: 3 * DAY, max: 3 * DAY };
  it.each([
    ['2d', { waits: [{ for: 'P2D' }] }],
    ['=day 5', { waits: [{ for: 'P2D' }] }],
    ['=5', { waits: [{ for: 'P2D' }] }],
    ['= Day 3', { waits: [] }],
    ['', { waits: [] }],
    ['0', { waits: [] }],
    ['=day 2', { problem: 'people come here on day 3 already' }],
    ['2d + fri 16:00', { waits: [{ for: 'P2D' }, { until: { weekdays: ['fri'], time: '16:00' } }] }],
    ['2d before visit', { waits: [{ until: { field: 'visit', offset: '-P2D' } }] }],
    ['soon', { problem: expect.stringContaining('type a length such as 2d') as string }],
    ['2x', { problem: expect.stringContaining('type a length such as 2d') as string }]
  ])('%j', (typed, expected) => expect(readGapText(typed, day3)).toEqual(expected));
});

describe('history', () => {
  it('goes back and forth, and forgets the way forward when something new is done', () => {
    let h = commit(commit(begin('a'), 'b', 'one', false), 'c', 'two', false);
    h = undo(undo(h));
    expect(h.present).toBe('a');
    expect(undo(h)).toBe(h);
    h = redo(h);
    expect(h.present).toBe('b');
    expect(redo(commit(h, 'x', 'three', false)).present).toBe('x');
  });

  it('typing is one thing to undo', () => {
    let h = commit(begin(''), 'H', 'type', false);
    for (const value of ['He', 'Hel', 'Hell', 'Hello']) h = commit(h, value, 'type', true);
    expect(undo(h).present).toBe('');
  });
});
