/** The state of an open sheet: what is selected after each act, what is undone together, how it is saved. */
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { branch, journey, mail, put, text, wait } from '../../../tests/make.ts';
import { applyEdit } from '$core/edit/edit.ts';
import type { Journey } from '$core/journey/schema.ts';
import { Editor } from './editor.svelte.ts';

const draft = (): Journey =>
  journey([
    mail('a'),
    wait('w', 'P2D'),
    branch('b', 'opened a', { did: 'opened', of: 'a' }, [put('keen')], [text('nudge')]),
    mail('z')
  ]);

type Reply = { status: number; body: unknown } | 'unreachable';

/** A server that answers drafts as told, and what it was sent. */
class Server {
  sent: { revision: number; document: Journey; keepalive: boolean }[] = [];
  answers: Reply[] = [];
  /** Holds answers back until opened. */
  gate: Promise<void> = Promise.resolve();
  private revision = 1;

  fetch = async (_url: string, init: RequestInit): Promise<Response> => {
    const { revision, document } = JSON.parse(String(init.body ?? '{}')) as { revision: number; document: Journey };
    this.sent.push({ revision, document, keepalive: init.keepalive ?? false });
    await this.gate;
    const answer = this.answers.shift() ?? { status: 200, body: { revision: ++this.revision, savedAt: 1000 } };
    if (answer === 'unreachable') throw new TypeError('fetch failed');
    return Response.json(answer.body, { status: answer.status });
  };
}

let server: Server;
let shelf: Map<string, string>;
const open = (document = draft(), revision = 1): Editor => new Editor('try', document, revision, 500);
const choose = (editor: Editor, key: string): Editor => {
  editor.selection = { at: 'card', key };
  return editor;
};
const laneKeys = (editor: Editor): string[] => editor.document.lane.map((s) => s.key);
const change = (editor: Editor, subject: string, field = ''): void =>
  editor.apply({ edit: 'patch', key: 'a', set: { subject } }, field);

beforeEach(() => {
  vi.useFakeTimers();
  server = new Server();
  shelf = new Map();
  vi.stubGlobal('fetch', server.fetch);
  vi.stubGlobal('localStorage', {
    getItem: (k: string) => shelf.get(k) ?? null,
    setItem: (k: string, v: string) => void shelf.set(k, v),
    removeItem: (k: string) => void shelf.delete(k)
  });
});
afterEach(async () => {
  // What is still to be saved is saved while there is something to save to.
  await vi.runAllTimersAsync();
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe('one thing to undo', () => {
  it('a key that changes nothing begins no typing that the next one belongs to', () => {
    const editor = open();
    change(editor, 'one', 'subject');
    vi.advanceTimersByTime(5000);
    // The same again, and then something new: two things to undo.
    change(editor, 'one', 'subject');
    change(editor, 'two', 'subject');
    editor.undo();
    expect(editor.document.lane[0]).toMatchObject({ subject: 'one' });
    editor.undo();
    expect(editor.document.lane[0]).toMatchObject({ subject: 'About a' });
  });
});

describe('a browser that is full', () => {
  it('goes on saving, and says that nothing is kept meanwhile', async () => {
    vi.stubGlobal('localStorage', {
      getItem: () => null,
      setItem: () => {
        throw new DOMException('full', 'QuotaExceededError');
      },
      removeItem: () => undefined
    });
    const editor = open();
    choose(editor, 'a').copy();
    editor.selection = { at: 'card', key: 'z' };
    editor.paste();
    expect(laneKeys(editor)).toHaveLength(5);
    server.answers = ['unreachable', 'unreachable'];
    await vi.advanceTimersByTimeAsync(400);
    expect(editor.saving).toMatchObject({ kind: 'failed', message: expect.stringContaining('no room') as string });
    await vi.advanceTimersByTimeAsync(7000);
    expect(editor.saving.kind).toBe('saved');
    expect(server.sent).toHaveLength(3);
  });

  it('where what it kept cannot be read, begins with what is saved', () => {
    shelf.set('ambulo-unsaved/try', '{"revision":');
    const editor = open();
    editor.restore();
    expect(editor.document).toEqual(draft());
  });
});

describe('acts on the sheet', () => {
  it('a new step is selected, and its panel is to take the focus', () => {
    const editor = open();
    editor.insert('email', ['lane'], 1);
    expect(laneKeys(editor)).toEqual(['a', 'email', 'w', 'b', 'z']);
    expect(editor.selection).toEqual({ at: 'card', key: 'email' });
    expect(editor.selected?.kind).toBe('email');
    expect(editor.focusPanel).toBe(1);
  });

  it('a deleted step leaves the gap where it stood', () => {
    const editor = open();
    choose(editor, 'b').remove();
    expect(laneKeys(editor)).toEqual(['a', 'w', 'z']);
    expect(editor.selection).toEqual({ at: 'gap', lane: ['lane'], index: 2 });
    choose(editor, 'not there').remove();
    expect(laneKeys(editor)).toEqual(['a', 'w', 'z']);
  });

  it.each<[string, Editor['selection'], string[]]>([
    ['into the selected gap', { at: 'gap', lane: ['lane'], index: 0 }, ['a-2', 'a', 'w', 'b', 'z']],
    ['behind the selected card', { at: 'card', key: 'z' }, ['a', 'w', 'b', 'z', 'a-2']],
    ['first of all, with the journey selected', { at: 'journey' }, ['a-2', 'a', 'w', 'b', 'z']]
  ])('pastes %s', (_, selection, expected) => {
    const editor = open();
    choose(editor, 'a').copy();
    editor.selection = selection;
    editor.paste();
    expect(laneKeys(editor)).toEqual(expected);
    expect(editor.selection).toEqual({ at: 'card', key: 'a-2' });
    expect(editor.said).toBe('Pasted. 2 values are as in the original: see below the sheet.');
  });

  it('with nothing copied, says so and changes nothing', () => {
    const editor = open();
    editor.paste();
    expect(editor.said).toBe('Nothing was copied yet.');
    expect(editor.history.past).toEqual([]);
  });

  it('cuts a block and puts it elsewhere under its own keys', () => {
    const editor = open();
    choose(editor, 'b').cut();
    editor.selection = { at: 'gap', lane: ['lane'], index: 3 };
    editor.paste();
    expect(laneKeys(editor)).toEqual(['a', 'w', 'z', 'b']);
  });

  it('duplicates beside the original', () => {
    const editor = open();
    choose(editor, 'z').duplicate();
    expect(laneKeys(editor)).toEqual(['a', 'w', 'b', 'z', 'z-2']);
  });

  it('what a copy carries is looked at until someone says yes or changes it', () => {
    const editor = open();
    choose(editor, 'z').duplicate();
    const review = () => editor.toReview.map((c) => `${c.key} ${c.what}`);
    expect(review()).toEqual(['z-2 subject', 'z-2 text']);
    editor.apply({ edit: 'patch', key: 'z-2', set: { subject: 'Another' } });
    expect(review()).toEqual(['z-2 text']);
    editor.undo();
    expect(review()).toEqual(['z-2 subject', 'z-2 text']);
    editor.approve(editor.toReview[0]!);
    expect(review()).toEqual(['z-2 text']);
    choose(editor, 'z-2').duplicate();
    expect(review()).toEqual(['z-2 text', 'z-3 subject', 'z-3 text']);
    choose(editor, 'z-2').remove();
    expect(review()).toEqual(['z-3 subject', 'z-3 text']);
    editor.approve(...editor.toReview);
    expect(review()).toEqual([]);
  });

  it('a block copied in one journey is pasted in another, and looked at', () => {
    const editor = open();
    choose(editor, 'b').copy();
    const other = new Editor('other', journey([mail('a')], { key: 'other' }), 1, 500);
    other.selection = { at: 'card', key: 'a' };
    other.paste();
    expect(laneKeys(other)).toEqual(['a', 'b']);
    expect(other.toReview.map((c) => `${c.key} ${c.what}${c.outside ? ' outside' : ''}`)).toEqual([
      'b takes those who outside',
      'put-keen puts on',
      'nudge text'
    ]);
    // What was copied last counts, wherever that was.
    choose(other, 'a').copy();
    editor.selection = { at: 'journey' };
    editor.paste();
    expect(laneKeys(editor)[0]).toBe('a-2');
  });

  it('what the browser keeps for it and is no step is not pasted', () => {
    const editor = open();
    for (const kept of ['{', '{}', '{"journey":"x","step":{"key":"a","kind":"fly"}}']) {
      shelf.set('ambulo-copied', kept);
      editor.paste();
      expect(editor.said).toBe('Nothing was copied yet.');
    }
    expect(editor.history.past).toEqual([]);
  });

  it('what was cut and put elsewhere needs no look', () => {
    const editor = open();
    choose(editor, 'z').cut();
    editor.paste();
    expect(editor.toReview).toEqual([]);
    expect(editor.said).toBe('Pasted.');
  });
});

describe('undo', () => {
  it('takes typing in one field together, and another field apart', () => {
    const editor = open();
    change(editor, 'H', 'a.subject');
    change(editor, 'He', 'a.subject');
    vi.advanceTimersByTime(1000);
    change(editor, 'Hel', 'a.subject');
    editor.apply({ edit: 'patch', key: 'a', set: { text: 'T' } }, 'a.text');
    editor.undo();
    expect(editor.selected).toBeNull();
    expect(editor.document.lane[0]).toMatchObject({ subject: 'Hel' });
    editor.undo();
    expect(editor.document.lane[0]).toMatchObject({ subject: 'About a' });
    editor.redo();
    expect(editor.document.lane[0]).toMatchObject({ subject: 'Hel' });
  });

  it('typing after a pause is another thing to undo', () => {
    const editor = open();
    change(editor, 'H', 'a.subject');
    vi.advanceTimersByTime(1600);
    change(editor, 'He', 'a.subject');
    editor.undo();
    expect(editor.document.lane[0]).toMatchObject({ subject: 'H' });
  });

  it('says what it undid; with nothing left, that', () => {
    const editor = open();
    editor.undo();
    expect(editor.said).toBe('There is nothing to undo.');
    choose(editor, 'z').remove();
    editor.undo();
    expect(editor.said).toBe('Undone: Delete step');
    editor.redo();
    expect(editor.said).toBe('Done again: Delete step');
    editor.redo();
    expect(editor.said).toBe('There is nothing to redo.');
  });

  it('a card that is gone is no longer selected, and a gap stays on its lane', () => {
    const editor = open();
    editor.insert('email', ['lane'], 4);
    editor.undo();
    expect(editor.selection).toEqual({ at: 'journey' });
    editor.insert('email', ['lane'], 4);
    editor.selection = { at: 'gap', lane: ['lane'], index: 5 };
    editor.undo();
    expect(editor.selection).toEqual({ at: 'gap', lane: ['lane'], index: 4 });
  });
});

describe('saving', () => {
  it('waits for a pause in typing, then saves once, and says when', async () => {
    const editor = open();
    change(editor, 'H');
    change(editor, 'He');
    expect(editor.saving).toEqual({ kind: 'unsaved' });
    expect(editor.hasUnsaved).toBe(true);
    await vi.advanceTimersByTimeAsync(349);
    expect(server.sent).toEqual([]);
    await vi.advanceTimersByTimeAsync(1);
    expect(server.sent).toMatchObject([{ revision: 1, document: { lane: [{ subject: 'He' }, {}, {}, {}] } }]);
    expect(editor.saving).toEqual({ kind: 'saved', at: 1000 });
    expect(editor.savedRevision).toBe(2);
    expect(editor.hasUnsaved).toBe(false);
  });

  it('what is typed while a save is under way is saved after it, on top of it', async () => {
    const editor = open();
    let release = (): void => undefined;
    server.gate = new Promise((resolve) => (release = resolve));
    change(editor, 'One');
    await vi.advanceTimersByTimeAsync(400);
    change(editor, 'Two');
    release();
    await vi.advanceTimersByTimeAsync(1000);
    expect(server.sent.map((s) => [s.revision, (s.document.lane[0] as { subject: string }).subject])).toEqual([
      [1, 'One'],
      [2, 'Two']
    ]);
    expect(editor.saving.kind).toBe('saved');
  });

  it('undone to what was saved, there is nothing to save', async () => {
    const editor = open();
    change(editor, 'H');
    editor.undo();
    await vi.advanceTimersByTimeAsync(400);
    expect(server.sent).toEqual([]);
    expect(editor.saving).toEqual({ kind: 'saved', at: 500 });
  });

  it.each<[string, Reply]>([
    ['cannot be reached', 'unreachable'],
    ['is without its database', { status: 503, body: { message: 'The database is away.' } }]
  ])('a server that %s is tried again by itself, and the draft kept until then', async (_, answer) => {
    const editor = open();
    server.answers = [answer, answer];
    change(editor, 'Kept');
    await vi.advanceTimersByTimeAsync(400);
    expect(editor.saving).toMatchObject({ kind: 'failed', retry: true });
    expect(JSON.parse(shelf.get('ambulo-unsaved/try')!)).toMatchObject({
      revision: 1,
      document: { lane: [{ subject: 'Kept' }, {}, {}, {}] }
    });
    await vi.advanceTimersByTimeAsync(7000);
    expect(server.sent.length).toBe(3);
    expect(editor.saving).toEqual({ kind: 'saved', at: 1000 });
    expect(shelf.size).toBe(0);
  });

  it('a draft changed in another window is not tried again, nor written over', async () => {
    const editor = open();
    server.answers = [{ status: 409, body: { message: 'This draft was changed in another window.' } }];
    change(editor, 'Mine');
    await vi.advanceTimersByTimeAsync(400);
    expect(editor.saving).toEqual({
      kind: 'failed',
      message: 'This draft was changed in another window.',
      retry: false
    });
    change(editor, 'Still mine');
    await vi.advanceTimersByTimeAsync(10_000);
    expect(server.sent.length).toBe(1);
    expect(editor.document.lane[0]).toMatchObject({ subject: 'Still mine' });
  });

  it('before a page is left, saves at once and in a way that outlives the page', async () => {
    const editor = open();
    change(editor, 'Last words');
    const saved = editor.save(true);
    await vi.advanceTimersByTimeAsync(0);
    expect(await saved).toBe(true);
    expect(server.sent).toMatchObject([{ keepalive: true }]);
  });
});

describe('what an earlier page could not save', () => {
  const kept = (revision: number): void =>
    void shelf.set('ambulo-unsaved/try', JSON.stringify({ revision, document: journey([mail('kept')]) }));

  it('is here again, can be undone, and is saved', async () => {
    kept(1);
    const editor = open();
    editor.restore();
    expect(laneKeys(editor)).toEqual(['kept']);
    expect(editor.said).toBe('What could not be saved last time is here again.');
    await vi.advanceTimersByTimeAsync(400);
    expect(server.sent).toMatchObject([{ document: { lane: [{ key: 'kept' }] } }]);
    editor.undo();
    expect(laneKeys(editor)).toEqual(['a', 'w', 'b', 'z']);
  });

  it('is let go where someone has changed the draft since', () => {
    kept(1);
    const editor = open(draft(), 2);
    editor.restore();
    expect(laneKeys(editor)).toEqual(['a', 'w', 'b', 'z']);
    expect(shelf.size).toBe(0);
  });

  it('is nothing most of the time', () => {
    const editor = open();
    editor.restore();
    expect(editor.history.past).toEqual([]);
  });
});

describe('somebody else saves the same draft', () => {
  const theirs = (): Journey => applyEdit(draft(), { edit: 'patch', key: 'z', set: { subject: 'Theirs' } }).document;

  it('both are kept, undo takes back only ours, and it is said what they changed', async () => {
    const editor = open();
    change(editor, 'Ours');
    server.answers = [
      { status: 409, body: { message: 'x', current: { revision: 7, document: theirs(), by: 'Nuala' } } },
      { status: 200, body: { revision: 8, savedAt: 2000 } }
    ];
    expect(await editor.save()).toBe(true);
    expect(server.sent[1]?.revision).toBe(7);
    expect(server.sent[1]?.document.lane.flatMap((s) => ('subject' in s ? [s.subject] : []))).toEqual([
      'Ours',
      'Theirs'
    ]);
    expect(editor.joined).toMatchObject({ by: 'Nuala', changes: [{ step: 'z' }], both: [] });
    editor.undo();
    expect(editor.document.lane.flatMap((s) => ('subject' in s ? [s.subject] : []))).toEqual(
      ['a', 'Theirs'].map((s) => expect.stringContaining(s) as string)
    );
  });

  it('what both changed stays ours, and is said', async () => {
    const editor = open();
    editor.apply({ edit: 'patch', key: 'z', set: { subject: 'Ours' } });
    server.answers = [
      { status: 409, body: { message: 'x', current: { revision: 7, document: theirs(), by: 'Nuala' } } }
    ];
    await editor.save();
    expect(editor.joined?.both).toEqual([expect.stringContaining('subject')]);
    expect(server.sent.at(-1)?.document.lane.at(-1)).toMatchObject({ subject: 'Ours' });
  });

  it('is brought in when it is heard of, and leaves nothing to save', async () => {
    const editor = open();
    server.answers = [{ status: 200, body: { revision: 7, document: theirs(), by: 'Nuala' } }];
    await editor.hear(7);
    expect(editor.document).toEqual(theirs());
    expect(editor.hasUnsaved).toBe(false);
  });

  it('what was kept while the server was away comes back beside what others have saved since', () => {
    const editor = open(theirs(), 5);
    const ours = applyEdit(draft(), { edit: 'patch', key: 'a', set: { subject: 'Ours' } }).document;
    shelf.set('ambulo-unsaved/try', JSON.stringify({ revision: 1, document: ours, base: draft() }));
    editor.restore();
    expect(editor.document.lane.flatMap((s) => ('subject' in s ? [s.subject] : []))).toEqual(['Ours', 'Theirs']);
    expect(editor.joined?.changes).toMatchObject([{ step: 'z' }]);
  });
});

describe('several steps at once', () => {
  it('from a card to another of its lane, with the waits between them: copied as text, cut, pasted, moved', () => {
    const editor = open();
    choose(editor, 'a').extend(1);
    expect(editor.chosen?.steps.map((s) => s.key)).toEqual(['a', 'w', 'b']);
    const text = editor.copy() ?? '';
    expect(JSON.parse(text)).toMatchObject({
      format: 'ambulo.block/1',
      journey: 'try',
      steps: [{ key: 'a' }, { key: 'w' }, { key: 'b' }]
    });
    choose(editor, 'z').paste(text);
    expect(laneKeys(editor)).toEqual(
      ['a', 'w', 'b', 'z', 'a-2', 'wait-1', 'b-2'].map((k) => (k === 'wait-1' ? expect.any(String) : k))
    );
    // What asked about the first of them asks about its copy.
    expect(JSON.stringify(editor.document.lane.at(-1))).toContain('"of":"a-2"');
    choose(editor, 'a').extendTo('b');
    editor.shift(1);
    expect(laneKeys(editor).slice(0, 4)).toEqual(['z', 'a', 'w', 'b']);
    expect(editor.chosen?.steps.length).toBe(3);
    editor.cut();
    expect(laneKeys(editor)[0]).toBe('z');
    editor.undo();
    expect(laneKeys(editor).slice(0, 4)).toEqual(['z', 'a', 'w', 'b']);
  });

  it.each([
    ['a shopping list', /no block of steps: “a shopping list”/],
    ['{"format":"ambulo.block/1","journey":"x","steps":[]}', /steps/],
    ['{"format":"ambulo.block/1","journey":"x","steps":[{"key":"a","kind":"fax"}]}', /kind/],
    ['{"what":1}', /would begin with/],
    [`${'['.repeat(5000)}`, /no block|deep/]
  ])('what is no block changes nothing, and says why: %s', (text, said) => {
    const editor = open();
    choose(editor, 'a').paste(text);
    expect(editor.document).toEqual(draft());
    expect(editor.said).toMatch(said);
  });

  it('a block is not moved into itself, and a journey file is pasted as its steps', () => {
    const editor = open();
    choose(editor, 'b').moveTo(['lane', 2, 'otherwise', 'lane'], 0);
    expect(editor.document).toEqual(draft());
    choose(editor, 'z').paste(JSON.stringify(journey([mail('n')])));
    expect(laneKeys(editor)).toEqual(['a', 'w', 'b', 'z', 'n']);
  });

  it('what a copy carries is still to be looked at after a reload', () => {
    const editor = open();
    choose(editor, 'a').duplicate();
    const count = editor.toReview.length;
    expect(count).toBeGreaterThan(0);
    const again = open(editor.document, 2);
    again.restore();
    expect(again.toReview.length).toBe(count);
    again.approve(...again.toReview);
    expect(shelf.get('ambulo-copies/try')).toBeUndefined();
  });
});
