/** One person: facts and consent changed by hand, their history; everything of them as files; erased but for what proves it. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { simpleParser } from 'mailparser';
import { strFromU8, unzipSync } from 'fflate';
import { journey, MONDAY, put, reachable } from '../make.ts';
import { importWhole } from '../../server/imports/whole.ts';
import { makeField } from '../../server/names/describe.ts';
import { addNote, consentHistory, factHistory, removeNote, setConsent, setField } from '../../server/people/by-hand.ts';
import { personPage } from '../../server/people/people.ts';
import { erase } from '../../server/protection/erase.ts';
import { everythingOf, zipOf } from '../../server/protection/everything.ts';
import { addPeople, live, openWorld, skipTo, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());
const query = async <T extends object>(text: string): Promise<T[]> => (await world.pool.query<T>(text)).rows;

describe('by hand', () => {
  it('a fact is changed by its type, and tells what it was, when and by whom or what', async () => {
    await makeField(world.pool, { name: 'visits', type: 'number', options: [] }, 'Ada');
    await importWhole(world.pool, Buffer.from('email,visits\na@b.example,1\n'), undefined, 'first.csv');
    await importWhole(world.pool, Buffer.from('email,visits\na@b.example,2\n'), undefined, 'second.csv');
    await skipTo(world, MONDAY);
    await live(
      world,
      journey([{ key: 'f', kind: 'field', set: { visits: { add: 5 } } }], {
        entry: { on: [{ happening: 'field_changed', field: 'visits', to: 3 }] }
      })
    );
    expect(await setField(world.pool, 1, 'visits', 'many', 'Ada')).toEqual({
      ok: false,
      problem: '“visits” takes a number, as 12.5.'
    });
    expect(await setField(world.pool, 1, 'visits', '3', 'Ada')).toEqual({ ok: true });
    await skipTo(world, MONDAY + 1000);
    expect((await factHistory(world.pool, 1)).map((h) => [h.to, h.by])).toEqual([
      [8, 'try'],
      [3, 'Ada'],
      [2, 'second.csv']
    ]);
    expect((await personPage(world.pool, 1))?.cameWith).toMatchObject({ name: 'first.csv' });
    await setField(world.pool, 1, 'visits', ' ', 'Ada');
    await skipTo(world, MONDAY + 2000);
    expect((await personPage(world.pool, 1))?.fields).toEqual({});
  });

  it('an address is nobody else’s, and one of the two is always there', async () => {
    await addPeople(world.pool, [reachable('a', (p) => p.fields.delete('phone')), reachable('b', () => undefined)]);
    const [other] = await query<{ email: string; phone: string }>('select email, phone from people where id = 2');
    expect(await setField(world.pool, 1, 'email', other!.email.toUpperCase(), 'Ada')).toEqual({
      ok: false,
      problem: 'Somebody else has this address already.'
    });
    expect(await setField(world.pool, 1, 'phone', other!.phone, 'Ada')).toEqual({
      ok: false,
      problem: 'Somebody else has this number already.'
    });
    expect(await setField(world.pool, 1, 'email', '', 'Ada')).toEqual({
      ok: false,
      problem: 'A person needs an email address or a phone number.'
    });
    expect(await setField(world.pool, 1, 'email', 'nonsense', 'Ada')).toEqual({
      ok: false,
      problem: 'That is not an email address.'
    });
    expect(await setField(world.pool, 1, 'zone', 'Mars', 'Ada')).toMatchObject({ ok: false });
    expect(await setField(world.pool, 1, 'email', 'New@B.example', 'Ada')).toEqual({ ok: true });
    expect((await personPage(world.pool, 1))?.email).toBe('new@b.example');
    expect(await factHistory(world.pool, 1)).toMatchObject([{ field: 'email', to: 'new@b.example', by: 'Ada' }]);
    expect(await setField(world.pool, 99, 'town', 'x', 'Ada')).toMatchObject({ ok: false });
  });

  it('consent tells where it was given and in which words, each time', async () => {
    await addPeople(world.pool, [reachable('a', () => undefined)]);
    await setConsent(
      world.pool,
      1,
      { channel: 'email', state: 'withdrawn', source: 'by telephone', wording: '' },
      'Ada'
    );
    await skipTo(world, MONDAY);
    await setConsent(
      world.pool,
      1,
      { channel: 'email', state: 'given', source: 'at the desk', wording: 'Yes, write.' },
      'Ada'
    );
    await skipTo(world, MONDAY + 1000);
    expect((await consentHistory(world.pool, 1)).filter((c) => c.channel === 'email')).toMatchObject([
      { state: 'given', source: 'at the desk (Ada)', wording: 'Yes, write.' },
      { state: 'withdrawn', source: 'by telephone (Ada)', wording: null },
      { state: 'given', source: 'test' }
    ]);
  });

  it('notes stand in the timeline', async () => {
    await addPeople(world.pool, [reachable('a', () => undefined)]);
    expect(await addNote(world.pool, 1, 'Asked about the dome.', 'Ada')).toBe(true);
    expect(await addNote(world.pool, 9, 'Nobody.', 'Ada')).toBe(false);
    expect((await personPage(world.pool, 1))?.timeline).toMatchObject([
      { what: 'note', detail: { words: 'Asked about the dome.', by: 'Ada' } }
    ]);
    expect(await removeNote(world.pool, 1, 1)).toBe(true);
    expect(await removeNote(world.pool, 1, 1)).toBe(false);
    expect((await personPage(world.pool, 1))?.timeline).toEqual([]);
  });
});

describe('their data', () => {
  async function somebody(): Promise<void> {
    await live(world, journey([put('seen'), { key: 'm', kind: 'email', subject: 'Grüße', text: 'Hello Ada' }]));
    await importWhole(
      world.pool,
      Buffer.from('email,phone,town,tags\nada@b.example,+447712345678,=Here,"in;x"\n'),
      (p) => ({ ...p, consent: { email: 'given', sms: 'given', source: 'desk', wording: 'Write to me.' } })
    );
    await skipTo(world, MONDAY);
    await query(
      `update messages set state = 'sent', sent_at = '2027-03-01T10:00:00Z', subject = 'Grüße', body = 'Hello Ada' where person_id = 1`
    );
    await addNote(world.pool, 1, 'A note.', 'Ada');
  }

  it('comes as one ZIP: facts, tables, mails as they were sent', async () => {
    await somebody();
    const files = unzipSync(await zipOf((await everythingOf(world.pool, 1, 'post@quillmoor.example'))!));
    const text = (name: string): string => strFromU8(files[name]!);
    expect(JSON.parse(text('person.json'))).toMatchObject({
      email: 'ada@b.example',
      fields: { town: '=Here' },
      came_with: 'people.csv'
    });
    expect(text('consents.csv')).toContain('desk (people.csv),Write to me.,ada@b.example');
    expect(text('tags.csv')).toContain('in');
    expect(text('notes.csv')).toContain('A note.');
    const [name] = Object.keys(files).filter((f) => f.startsWith('messages/'));
    const mail = await simpleParser(Buffer.from(files[name!]!));
    expect([mail.subject, mail.text?.trim(), mail.date?.toISOString()]).toEqual([
      'Grüße',
      'Hello Ada',
      '2027-03-01T10:00:00.000Z'
    ]);
    expect(await everythingOf(world.pool, 99, 'post@quillmoor.example')).toBeNull();
  });

  it('is erased but for hashes that prove consent and suppression; an import asks before it takes them in again', async () => {
    await somebody();
    await query(`insert into suppressions (address, reason, at) values ('+447712345678', 'bounced', now())`);
    expect(await erase(world.pool, 1, 'Nuala')).toMatchObject({ walks: 1, messages: 1 });
    expect(await erase(world.pool, 1, 'Nuala')).toBeNull();
    // Nothing of them is left in any table: neither address, nor name of a field's value.
    const tables = await query<{ name: string }>(
      `select table_name as name from information_schema.tables where table_schema = 'public' and table_type = 'BASE TABLE'`
    );
    for (const { name } of tables) {
      const rows = await query<{ row: string }>(
        `select t::text as row from "${name}" as t where t::text ~ 'ada@b|447712345678|=Here'`
      );
      expect([name, rows]).toEqual([name, []]);
    }
    expect(
      await query(
        `select length(hash) as n, suppressed, consents -> 0 ->> 'wording' as wording from erased order by suppressed nulls first`
      )
    ).toEqual([
      { n: 32, suppressed: null, wording: 'Write to me.' },
      { n: 32, suppressed: 'bounced', wording: 'Write to me.' }
    ]);
    const again = 'email,phone\nADA@b.example,\n,+447712345678\nnew@b.example,\n';
    const refused = await importWhole(world.pool, Buffer.from(again));
    expect(refused.preview).toMatchObject({ made: 1, refused: 2 });
    expect(refused.preview.refusedFirst.map((r) => [r.reason, r.found])).toEqual([
      ['this person was erased on request', ''],
      ['this person was erased, and nobody may write to this address: bounced', '']
    ]);
    const taken = await importWhole(world.pool, Buffer.from(again), (p) => ({ ...p, erased: 'take' }));
    expect(taken.preview).toMatchObject({ made: 1, unchanged: 1, refused: 1 });
  });
});
