/** Imports from opening a file to taking it back: by a plan, in portions, stopped, going on, undone; what is promised is done. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import type { Journey } from '../../core/journey/schema.ts';
import type { Settings } from '../../core/settings/schema.ts';
import { collected, DAYS, HOUR, journey, MONDAY, put, settings } from '../make.ts';
import {
  beginImport,
  importLine,
  openImport,
  readImport,
  staysOf,
  stopImport,
  undoImport
} from '../../server/imports/imports.ts';
import type { ImportPlan } from '../../server/imports/plan.ts';
import { refusedRows } from '../../server/imports/refused.ts';
import { workImport } from '../../server/imports/run.ts';
import { importWhole } from '../../server/imports/whole.ts';
import { addNote } from '../../server/people/by-hand.ts';
import { askChange } from '../../server/people/inputs.ts';
import { readSettings } from '../../server/workspace/settings.ts';
import { saveSettings } from '../../server/settings/save.ts';
import { live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

type Change = Partial<ImportPlan> | ((plan: ImportPlan) => ImportPlan);
const planned =
  (change: Change) =>
  (plan: ImportPlan): ImportPlan => {
    const sourced = { ...plan, consent: { ...plan.consent, source: 'a form' } };
    return typeof change === 'function' ? change(sourced) : { ...sourced, ...change };
  };
const bring = (csv: string, change: Change = {}) => importWhole(world.pool, Buffer.from(csv), planned(change));
const query = async <T extends object>(text: string, ...values: unknown[]): Promise<T[]> =>
  (await world.pool.query<T>(text, values)).rows;
const facts = () =>
  query<Record<string, unknown>>(
    `select email, phone, first_name, fields, array(select tag from person_tags t where t.person_id = p.id order by 1) as tags,
       (select state from consents c where c.person_id = p.id and channel = 'email') as consent from people p order by email nulls last, phone`
  );

/** Everything that is due is done, the import with it. */
async function settle(): Promise<void> {
  while (await workImport(world.pool)) await skipTo(world, MONDAY);
  await skipTo(world, MONDAY);
}

describe('a plan', () => {
  it('values become what their field is, and new fields are declared', async () => {
    const { preview } = await bring('email;born;visits;regular;likes\na@b.example;13.3.1980;1,5;ja;moon|mars\n');
    expect(preview).toMatchObject({ made: 1, refused: 0 });
    expect(await facts()).toMatchObject([
      { fields: { born: '1980-03-13', visits: 1.5, regular: 'ja', likes: ['moon', 'mars'] } }
    ]);
    expect((await readSettings(world.pool))?.fields).toEqual([
      { name: 'born', type: 'date' },
      { name: 'visits', type: 'number' },
      { name: 'likes', type: 'choices' }
    ]);
    // The next file of it is read by the type that was declared.
    const next = await bring('email,born\nc@d.example,2027-01-31\ne@f.example,someday\n');
    expect(next.preview).toMatchObject({
      made: 1,
      refused: 1,
      refusedBy: [{ column: 'born', reason: 'not a date, day first', line: 3 }]
    });
  });

  it('what does not fit is left out, where that is wanted, and counted', async () => {
    const { preview } = await bring('email,visits\na@b.example,3\nc@d.example,many\ne@f.example,lots\n', (plan) => ({
      ...plan,
      misfits: 'leave out',
      columns: [plan.columns[0]!, { target: 'field:visits', type: 'number', decimal: '.' }]
    }));
    expect(preview).toMatchObject({ made: 3, refused: 0, leftOut: [{ column: 'visits', count: 2, example: 'many' }] });
  });

  it.each<[ImportPlan['known'], object, object]>([
    [
      'update',
      {
        made: 1,
        changed: 1,
        unchanged: 0,
        fields: [
          { name: 'first_name', replaced: 1 },
          { name: 'town', filled: 1 }
        ]
      },
      { first_name: 'Adela', fields: { town: 'Here' }, tags: ['new'] }
    ],
    [
      'fill',
      { made: 1, changed: 1, fields: [{ name: 'town', filled: 1 }] },
      { first_name: 'Ada', fields: { town: 'Here' }, tags: ['new'] }
    ],
    ['leave', { made: 1, changed: 0, unchanged: 1, fields: [] }, { first_name: 'Ada', fields: {}, tags: [] }]
  ])('people who are known: %s', async (known, promised, done) => {
    await bring('email,first_name\na@b.example,Ada\n');
    const { preview, line } = await bring('email,first_name,town\na@b.example,Adela,Here\nc@d.example,Cora,There\n', {
      known,
      tags: ['new']
    });
    expect(preview).toMatchObject(promised);
    expect(line).toMatchObject({ made: 1, updated: preview.changed });
    await settle();
    expect((await facts())[0]).toMatchObject(done);
  });

  it('a phone number finds whoever has no email yet, and gives it to them', async () => {
    await bring('phone\n+447700900001\n');
    const { preview } = await bring('email,phone\na@b.example,+447700900001\n');
    expect(preview).toMatchObject({ made: 0, changed: 1 });
    await settle();
    expect(await facts()).toMatchObject([{ email: 'a@b.example', phone: '+447700900001' }]);
  });

  it('consent has its source and wording, and a record of each state', async () => {
    await bring('email\na@b.example\n', {
      consent: { email: 'given', sms: 'given', source: 'desk, May', wording: 'Yes, write to me.' }
    });
    await bring('email,consent_email\na@b.example,no\n');
    await settle();
    expect(await query('select channel, state, source, wording, address from consent_records order by id')).toEqual([
      {
        channel: 'email',
        state: 'given',
        source: 'desk, May (people.csv)',
        wording: 'Yes, write to me.',
        address: 'a@b.example'
      },
      { channel: 'email', state: 'withdrawn', source: 'a form (people.csv)', wording: null, address: 'a@b.example' }
    ]);
  });

  it('is not begun while anything is open, and a matching is remembered', async () => {
    const bytes = [Buffer.from('Mail,When\na@b.example,1/2/2027\n')];
    const file = { name: 'p.csv', id: null, user: null, by: 'test' };
    const opened = await openImport(world.pool, file, () => bytes);
    expect(opened.remembered).toBeNull();
    await readImport(world.pool, opened.id, opened.plan, bytes);
    expect(await beginImport(world.pool, opened.id, 'test')).toMatchObject({
      ok: false,
      problem: expect.stringContaining('is the day') as string
    });
    const said = {
      ...opened.plan,
      tags: ['x'],
      columns: [
        opened.plan.columns[0]!,
        { target: 'field:met' as const, type: 'date' as const, dates: 'month first' as const }
      ]
    };
    await readImport(world.pool, opened.id, said, bytes);
    // What was read is what was seen, or nothing is begun.
    expect(await beginImport(world.pool, opened.id, 'test', { ...said, tags: ['y'] })).toMatchObject({ ok: false });
    expect(await beginImport(world.pool, opened.id, 'test', said)).toEqual({ ok: true });
    expect(await beginImport(world.pool, opened.id, 'test')).toMatchObject({ ok: false });
    // The same columns in another order and case.
    const again = [Buffer.from('when,MAIL\n1/2/2027,c@d.example\n')];
    const next = await openImport(world.pool, file, () => again);
    expect(next.remembered).not.toBeNull();
    expect(next.plan).toMatchObject({
      tags: [],
      columns: [{ target: 'field:met', dates: 'month first' }, { target: 'email' }]
    });
  });
});

describe('journeys', () => {
  it('hear of what changes, and the preview says which and of how many', async () => {
    await live(world, journey([put('seen')]));
    await bring('email,tags\na@b.example,in\nk@l.example,other\n', { begins: false });
    const { preview } = await bring('email,tags\na@b.example,in\nk@l.example,in\nc@d.example,in\ne@f.example,other\n');
    expect(preview.journeys).toEqual([{ key: 'try', name: 'try', by: 'the tag in', people: 2 }]);
    await settle();
    expect((await trailOf(world.pool)).filter((l) => l['what'] === 'entered')).toHaveLength(2);
  });

  it('hear by a segment and by a date: up to how many is said before', async () => {
    const fields: Settings['fields'] = [{ name: 'visit', type: 'date' }];
    await saveSettings(world.pool, settings({ fields, segments: [{ name: 'keen', when: { tag: 'in' } }] }), 'test');
    const by = (key: string, entry: Journey['entry']): Journey => ({
      ...journey([put(`${key}-seen`)]),
      key,
      name: key,
      entry
    });
    await live(
      world,
      by('joining', { on: [{ happening: 'segment_joined', segment: 'keen' }] }),
      by('leaving', { on: [{ happening: 'segment_left', segment: 'keen' }] }),
      by('before', { date: { field: 'visit' } })
    );
    // Whoever was there before the segments were would be in them without having joined.
    await skipTo(world, MONDAY + HOUR);
    const visit = new Date(MONDAY + 2 * DAYS).toISOString().slice(0, 10);
    const csv = `email,tags,visit\na@b.example,in,${visit}\nc@d.example,other,\n`;
    const { preview } = await bring(csv);
    const joining = { key: 'joining', name: 'joining', by: 'coming into the segment keen', people: 2 };
    const dated = { key: 'before', name: 'before', by: 'the date visit', people: 1 };
    expect(preview.journeys).toEqual([joining, dated]);
    const silent = await bring(csv.replace('c@d', 'e@f').replace('a@b', 'g@h'), { begins: false });
    expect(silent.preview.journeys).toEqual([dated]);
    await skipTo(world, MONDAY + 3 * DAYS);
    const entered = async () =>
      (await trailOf(world.pool))
        .filter((l) => l['what'] === 'entered')
        .map((l) => `${String(l['journey'])} ${String(l['person'])}`);
    // The third came with a silent import: their segment is nothing that happened, their date comes all the same.
    expect((await entered()).sort()).toEqual(['before 1', 'before 3', 'joining 1']);
    const keen = () => query<{ person_id: number }>('select person_id from person_segments order by 1');
    expect(await keen()).toEqual([{ person_id: 1 }, { person_id: 3 }]);
    // Nor do journeys hear of what a silent import makes of those who were there, and what taking it back makes of them.
    const known = await bring('email,tags\nc@d.example,in\n', { begins: false });
    await settle();
    expect(await keen()).toEqual([{ person_id: 1 }, { person_id: 2 }, { person_id: 3 }]);
    await undoImport(world.pool, known.line.id);
    await settle();
    expect(await keen()).toEqual([{ person_id: 1 }, { person_id: 3 }]);
    expect(await entered()).toHaveLength(3);
  });

  it('hear nothing, where that is wanted; what changed is on record all the same', async () => {
    await live(world, journey([put('seen')]));
    await bring('email\na@b.example\n');
    const { preview } = await bring(
      'email,tags,town,consent_email\na@b.example,in,Here,yes\nc@d.example,in,There,yes\n',
      { begins: false }
    );
    expect(preview.journeys).toEqual([]);
    await settle();
    expect(await trailOf(world.pool)).toEqual([]);
    expect(await facts()).toMatchObject([
      { fields: { town: 'Here' }, tags: ['in'], consent: 'given' },
      { fields: { town: 'There' }, tags: ['in'], consent: 'given' }
    ]);
    expect(
      await query(
        `select person_id as p, name, data from happenings where source = 'import' and name <> 'set' order by person_id, id`
      )
    ).toEqual([
      { p: 1, name: 'field_changed', data: { field: 'town', to: 'Here' } },
      { p: 1, name: 'tag_added', data: { tag: 'in' } },
      { p: 1, name: 'consent_changed', data: { channel: 'email', to: 'given' } },
      { p: 2, name: 'tag_added', data: { tag: 'in' } }
    ]);
  });

  it('a change brought by an import says so', async () => {
    await bring('email\na@b.example\n');
    await bring('email,town\na@b.example,Here\n');
    await settle();
    expect(await query(`select data from happenings where name = 'field_changed'`)).toEqual([
      { data: { field: 'town', to: 'Here', by: 'import 2' } }
    ]);
  });
});

describe('under way', () => {
  const many = (n: number): string =>
    'email,tags\n' + Array.from({ length: n }, (_, i) => `p${i}@b.example,t${i % 3}`).join('\n');
  async function begun(csv: string, change: Change = {}): Promise<number> {
    const bytes = [Buffer.from(csv)];
    const opened = await openImport(world.pool, { name: 'p.csv', id: null, user: null, by: 'test' }, () => bytes);
    await readImport(world.pool, opened.id, planned(change)(opened.plan), bytes);
    expect(await beginImport(world.pool, opened.id, 'test')).toEqual({ ok: true });
    return opened.id;
  }

  it('is stopped between portions, keeps what is in, and goes on', async () => {
    const id = await begun(many(1000));
    await workImport(world.pool, 300);
    expect(await stopImport(world.pool, id, true)).toBe(true);
    expect(await workImport(world.pool, 300)).toBe(false);
    expect(await importLine(world.pool, id)).toMatchObject({ state: 'stopped', made: 300, total: 1000 });
    expect(await stopImport(world.pool, id, false)).toBe(true);
    while (await workImport(world.pool, 300));
    expect(await importLine(world.pool, id)).toMatchObject({ state: 'done', made: 1000 });
    expect(await query('select count(*) as n, count(distinct person_id) as p from person_tags')).toEqual([
      { n: 1000, p: 1000 }
    ]);
    expect(await query('select count(*) as n from import_rows')).toEqual([{ n: 0 }]);
  });

  it('several workers at once do each portion once', async () => {
    const id = await begun(many(2000));
    await Promise.all(
      Array.from({ length: 4 }, async () => {
        while (await workImport(world.pool, 100).catch(() => true))
          if ((await importLine(world.pool, id))?.state === 'done') return;
      })
    );
    while (await workImport(world.pool, 100));
    expect(await importLine(world.pool, id)).toMatchObject({ state: 'done', made: 2000, updated: 0 });
  });

  it('whoever has come another way meanwhile is updated, not made twice and not lost', async () => {
    const id = await begun('email,town\na@b.example,Here\nc@d.example,There\n');
    await query(`insert into people (email, created_at, updated_at) values ('A@B.example', now(), now())`);
    await settle();
    expect(await importLine(world.pool, id)).toMatchObject({ made: 1, updated: 1 });
    expect(await query(`select email, fields from people order by lower(email)`)).toEqual([
      { email: 'A@B.example', fields: { town: 'Here' } },
      { email: 'c@d.example', fields: { town: 'There' } }
    ]);
  });

  it('what the database lost in a crash is said, and reading the file again goes on', async () => {
    const csv = many(500);
    const id = await begun(csv);
    await workImport(world.pool, 200);
    await query('truncate import_rows');
    await workImport(world.pool, 200);
    expect(await importLine(world.pool, id)).toMatchObject({
      state: 'stopped',
      problem: expect.stringContaining('Read it again') as string
    });
    const [{ plan } = { plan: null }] = await query<{ plan: ImportPlan }>('select plan from imports');
    const preview = await readImport(world.pool, id, plan!, [Buffer.from(csv)]);
    expect(preview).toMatchObject({ made: 300, unchanged: 200 });
    await stopImport(world.pool, id, false);
    while (await workImport(world.pool));
    expect(await importLine(world.pool, id)).toMatchObject({ state: 'done', made: 500, total: 500 });
    expect(await query('select count(*) as n from people')).toEqual([{ n: 500 }]);
  });

  it('one that cannot go on stops, says why, and holds up no other', async () => {
    const bad = await begun('email\na@b.example\n');
    await query(
      `update import_rows set fields = '{"x": 1}'::jsonb, email = repeat('x', 10000) || '@b.example' where import_id = $1`,
      bad
    );
    await query(`alter table people add constraint short check (length(email) < 1000)`);
    const good = await begun('email\nc@d.example\n');
    for (let i = 0; i < 6; i++) await workImport(world.pool);
    expect(await importLine(world.pool, bad)).toMatchObject({
      state: 'stopped',
      problem: expect.stringContaining('short') as string
    });
    expect(await importLine(world.pool, good)).toMatchObject({ state: 'done', made: 1 });
  });
});

describe('afterwards', () => {
  it('the refused rows come back as they stood, with why, harmless for spreadsheets', async () => {
    const csv = 'email,note\nnonsense,=SUM(A1)\n"x@y.example","two\nlines"\n@bad,-1+2\n';
    const bytes = [Buffer.from(csv)];
    const opened = await openImport(world.pool, { name: 'p.csv', id: null, user: null, by: 'test' }, () => bytes);
    await readImport(world.pool, opened.id, opened.plan, bytes);
    const text = (
      await collected(refusedRows(world.pool, { id: opened.id, plan: opened.plan, header: opened.header }, bytes))
    ).join('');
    expect(text).toBe(
      '\uFEFFemail,note,line in the file,why it was refused\n' +
        `nonsense,'=SUM(A1),2,email: not an email address\n` +
        `'@bad,'-1+2,5,email: not an email address\n`
    );
  });

  it.each([true, false])(
    'is taken back as a whole, what came since stays and is listed (journeys hear: %s)',
    async (begins) => {
      await live(world, journey([put('seen')], { entry: { on: [{ happening: 'tag_added', tag: 'go' }] } }));
      await bring('email,first_name,town,consent_email\nknown@b.example,Ada,Old,yes\nmoved@b.example,Bea,Old,\n');
      const before = await facts();
      const { line } = await bring(
        'email,first_name,town,level,tags,consent_email\nknown@b.example,Adela,New,3,blue,no\nmoved@b.example,,New,,,\nnew@b.example,Cora,New,,blue,yes\nbusy@b.example,Dora,New,,blue,yes\n',
        { begins }
      );
      await settle();
      expect(line).toMatchObject({ made: 2, updated: 2 });
      // By other hands: one gets into a journey, of another a fact is changed once more.
      await askChange(world.pool, [4], { addTags: ['go'] }, 'Ada');
      await askChange(world.pool, [2], { fields: { town: 'Elsewhere' } }, 'Ada');
      await settle();
      expect(await undoImport(world.pool, line.id)).toBe(true);
      expect(await undoImport(world.pool, line.id)).toBe(false);
      await settle();
      expect(await importLine(world.pool, line.id)).toMatchObject({
        state: 'undone',
        removed: 1,
        restored: 1,
        stays: 3
      });
      expect(await staysOf(world.pool, line.id)).toEqual([
        { person: 1, name: 'Ada', what: 'consent for emails (withdrawn)' },
        { person: 2, name: 'Bea', what: 'town' },
        { person: 4, name: 'Dora', what: 'is or was in a journey' }
      ]);
      const after = await facts();
      expect(after.map((p) => p['email'])).toEqual(['busy@b.example', 'known@b.example', 'moved@b.example']);
      expect(after[1]).toEqual({ ...before[0], consent: 'withdrawn' });
      expect(after[2]).toMatchObject({ fields: { town: 'Elsewhere' } });
    }
  );

  it('whom another import has changed since, or who has a note, stays', async () => {
    const { line } = await bring('email\na@b.example\nc@d.example\ne@f.example\n');
    await bring('email,town\na@b.example,Here\n', { begins: false });
    await addNote(world.pool, 2, 'Called.', 'Ada');
    await undoImport(world.pool, line.id);
    await settle();
    expect((await staysOf(world.pool, line.id)).map((s) => [s.person, s.what])).toEqual([
      [1, 'was changed by another import since'],
      [2, 'has a note']
    ]);
    expect(await importLine(world.pool, line.id)).toMatchObject({ state: 'undone', removed: 1 });
  });

  it('is taken back from where it had come, and before workers have done anything of it', async () => {
    await bring('email,town\na@b.example,Old\n');
    const { line } = await bring('email,town\na@b.example,New\nc@d.example,New\n');
    // Not worked off: the change is still in the inbox.
    expect(await undoImport(world.pool, line.id)).toBe(true);
    await settle();
    expect(await facts()).toMatchObject([{ email: 'a@b.example', fields: { town: 'Old' } }]);
    expect(await importLine(world.pool, line.id)).toMatchObject({ state: 'undone', removed: 1 });
  });
});
