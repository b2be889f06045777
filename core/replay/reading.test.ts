import { describe, expect, it } from 'vitest';
import { parseHappenings } from './happenings.ts';
import { parsePeople } from './people.ts';
import { replay } from './replay.ts';
import { at, DAYS, journey, mail, MONDAY, put, reachable, wait } from '../../tests/make.ts';

describe('people of a replay', () => {
  it('come with their facts, typed', () => {
    const { people, problems } = parsePeople(
      'id,email,first_name,zone,tags,lists,consent_email,consent_sms,visits:number,member:yesno,interest:score,town\n' +
        'p1,a@people.example,Ada,Europe/Dublin,x; y,l,given,withdrawn,3,Yes,40,Quillmoor\n' +
        'p2,,,,,,,,,,,\n'
    );
    expect(problems).toEqual([]);
    expect(Object.fromEntries(people[0]!.fields)).toEqual({
      email: 'a@people.example',
      first_name: 'Ada',
      zone: 'Europe/Dublin',
      visits: 3,
      member: true,
      town: 'Quillmoor'
    });
    expect([...people[0]!.tags]).toEqual(['x', 'y']);
    expect([...people[0]!.lists]).toEqual(['l']);
    expect(people[0]!.consent).toEqual({ email: 'given', sms: 'withdrawn' });
    expect(people[0]!.scores.get('interest')).toBe(40);
    expect(people[1]!.fields.size).toBe(0);
  });

  it.each([
    ['email\na@b.example\n', 'found no column "id", expected one'],
    ['id,age:years\np1,3\n', 'found the type "years", expected one of text, number'],
    ['id,visit:date\np1,2027-02-31\n', 'found "2027-02-31", expected a date such as "2027-03-01"'],
    ['id,seen:instant\np1,2027-03-01T09:00\n', 'expected an instant with a zone'],
    ['id,id\np1,p2\n', 'found a second column "id"'],
    ['', 'found nothing, expected a header'],
    ['id,zone\np1,Mars\n', 'found "Mars", expected a time zone name'],
    ['id,member:yesno\np1,perhaps\n', 'found "perhaps", expected yes, no, true, false, 1 or 0'],
    ['id,consent_email\np1,yes\n', 'found "yes", expected given, pending, withdrawn or nothing'],
    ['id,interest:score\np1,many\n', 'found "many", expected a number'],
    ['id\np1,extra\n', 'found 2 cells, expected 1'],
    ['id,x\n"p1,x\n', 'found text that is not CSV']
  ])('%j is bad: %s', (text, expected) => expect(parsePeople(text).problems[0]?.message).toContain(expected));
});

describe('a large file of people', () => {
  it('read in pieces is read whole: quoted line ends, quotes, and the lines of what is wrong', () => {
    const rows = Array.from({ length: 5000 }, (_, i) => `p${i},"line one\nline ""two"" of ${i}",${i}`);
    const text = `\uFEFFid,words,n:number\r\n${rows.join('\r\n')}\r\n`;
    expect(text.length).toBeGreaterThan(130_000);
    const { people, problems } = parsePeople(text);
    expect(problems).toEqual([]);
    expect(people.map((p) => p.id)).toEqual(rows.map((_, i) => `p${i}`));
    expect(people[4321]!.fields.get('words')).toBe('line one\nline "two" of 4321');
    expect(people[4999]!.fields.get('n')).toBe(4999);
    const bad = parsePeople(text.replace(',4900\r', ',many\r').replace('p4950,', 'p1,')).problems;
    // Each row is two lines, behind the header.
    expect(bad.map((p) => [p.line, p.path])).toEqual([
      [2 * 4900 + 3, 'n'],
      [2 * 4950 + 3, 'id']
    ]);
  });
  it('with a quotation that never closes says where', () => {
    const text = `id,words\np,x\nq,"open\n${'r,y\n'.repeat(40_000)}`;
    const [problem] = parsePeople(text).problems;
    expect(problem?.message).toContain('found text that is not CSV');
  });
});

describe('happenings of a replay', () => {
  const known = {
    people: new Set(['p1']),
    journeys: new Set(['try']),
    steps: new Map([
      [
        'try',
        new Map([
          ['a', 'email' as const],
          ['t', 'task' as const]
        ])
      ]
    ]),
    types: new Map([['n', 'number' as const]])
  };
  const event = (change: object): string =>
    JSON.stringify({
      specversion: '1.0',
      id: '1',
      source: '/s',
      type: 'ambulo.opened',
      time: '2027-03-01T09:00:00Z',
      subject: 'p1',
      data: { of: 'a' },
      ...change
    });
  const read = (...lines: string[]) => parseHappenings(lines.join('\n'), known);

  it.each<[string, object, string]>([
    ['another version', { specversion: '0.3' }, 'specversion: found "0.3", expected "1.0"'],
    [
      'an instant without a zone',
      { time: '2027-03-01T09:00:00' },
      'time: found "2027-03-01T09:00:00", expected an instant'
    ],
    ['a day that is none', { time: '2027-02-30T09:00:00Z' }, 'time: found "2027-02-30T09:00:00Z"'],
    ['an unknown person', { subject: 'p9' }, 'subject: found "p9", expected the id of a person in the CSV'],
    ['an unknown type', { type: 'ambulo.danced' }, 'type: found "ambulo.danced"'],
    ['a reaction to a task', { data: { of: 't' } }, 'data.of: found "t", expected the key of a message step'],
    ['a message that is done', { type: 'ambulo.task_done' }, 'data.of: found "a", expected the key of a task step'],
    ['a consequence of facts', { type: 'ambulo.tag_added', data: { tag: 'x' } }, 'type: found "ambulo.tag_added"'],
    ['sent, which the replay itself does', { type: 'ambulo.sent' }, 'type: found "ambulo.sent"'],
    ['what follows from a fact', { type: 'ambulo.tag_added', data: { tag: 'x' } }, 'this one follows from facts'],
    ['the end of a walk', { type: 'ambulo.left', data: {} }, 'this one follows from facts'],
    [
      'an unknown type',
      { type: 'ambulo.waved', data: {} },
      'type: found "ambulo.waved", expected the type of a happening'
    ],
    [
      'an order without its amount',
      { type: 'ambulo.purchased', data: { order: 'o', items: [] } },
      'data.amount: found nothing'
    ],
    [
      'a price with five places',
      { type: 'ambulo.purchased', data: { order: 'o', amount: 1, items: [{ sku: 'x', price: '0.00001' }] } },
      'data.items[0].price'
    ],
    [
      'half a thing',
      { type: 'ambulo.purchased', data: { order: 'o', amount: 1, items: [{ sku: 'x', quantity: 0.5 }] } },
      'data.items[0].quantity'
    ],
    ['a form without a name', { type: 'ambulo.form_sent', data: { answers: {} } }, 'data.form: found nothing'],
    ['a custom one without a name', { type: 'ambulo.custom', data: { ref: 'r' } }, 'data.name: found nothing'],
    [
      'a field of another type',
      { type: 'ambulo.set', data: { fields: { n: 'many' } } },
      'data.fields.n: found "many", expected a value of type number'
    ],
    [
      'a zone that is none',
      { type: 'ambulo.set', data: { fields: { zone: 'Mars' } } },
      'data.fields.zone: found "Mars", expected a time zone'
    ],
    [
      'a consent that is none',
      { type: 'ambulo.set', data: { consent: { email: 'maybe' } } },
      'data.consent.email: found "maybe"'
    ],
    ['a message of no journey', { data: { of: 'lost' } }, 'data.of: found "lost", expected the key of a message step'],
    ['a journey beside it that is not there', { data: { of: 'a', journey: 'lost' } }, 'data.journey: found "lost"'],
    ['another namespace', { type: 'other.opened' }, 'type: found "other.opened"'],
    ['neither message nor channel', { data: {} }, 'expected "of" (which message) or "channel"'],
    ['an unknown filter', { data: { of: 'a', colour: 'red' } }, 'data.colour: found the key "colour"'],
    ['an unknown journey', { type: 'ambulo.enter', data: { journey: 'x' } }, 'data.journey: found "x"'],
    ['an entry by neither', { type: 'ambulo.enter', data: { journey: 'try', by: 'date' } }, 'data.by: found "date"'],
    ['a bad amount', { type: 'ambulo.purchased', data: { order: 'o', amount: '1.23456', items: [] } }, 'data.amount'],
    ['a consent that is none', { type: 'ambulo.set', data: { consent: { email: 'yes' } } }, 'data.consent.email'],
    ['a field of a field', { type: 'ambulo.set', data: { fields: { a: {} } } }, 'data.fields.a']
  ])('%s is bad', (_, change, expected) => {
    const { problems } = read(event(change));
    expect(problems.map((p) => `${p.path}: ${p.message}`).join('\n')).toContain(expected);
    expect(problems[0]?.line).toBe(1);
  });

  it('are put in order of their instants, file order within one; empty lines do not count', () => {
    const { inputs, problems } = read(
      event({ id: '1', time: '2027-03-02T00:00:00Z' }),
      '',
      event({ id: '2', time: '2027-03-01T01:00:00+01:00' }),
      event({ id: '3', time: '2027-03-01T00:00:00Z' })
    );
    expect(problems).toEqual([]);
    expect(inputs.map((i) => i.line)).toEqual([3, 4, 1]);
  });

  it.each([
    [{}, 'hand'],
    [{ by: 'hand' }, 'hand'],
    [{ by: 'api' }, 'api']
  ])('an entry %j is by %s', (more, by) =>
    expect(read(event({ type: 'ambulo.enter', data: { journey: 'try', ...more } })).inputs[0]?.input).toEqual({
      kind: 'enter',
      journey: 'try',
      by
    })
  );

  it('the same id of another source is another', () =>
    expect(read(event({}), event({}), event({ source: '/t' })).inputs).toHaveLength(2));
});

describe('the order of a trail', () => {
  const everyone = () => ['p2', 'p1', 'p3'].map((id) => reachable(id));
  const enter = (person: string, line: number, after = 0) => ({
    at: MONDAY + after,
    person,
    line,
    input: { kind: 'enter' as const, journey: 'try', by: 'hand' }
  });
  const j = journey([wait('w'), put('x')]);

  it('is by instant, then by place in the CSV, whatever the order of the input', () => {
    const inputs = [enter('p1', 1), enter('p3', 2), enter('p2', 3)];
    const lines = replay({ journeys: [j], people: everyone(), inputs, from: MONDAY, until: MONDAY + 2 * DAYS });
    expect(lines.filter((l) => l['what'] === 'entered').map((l) => l.person)).toEqual(['p2', 'p1', 'p3']);
    expect(
      replay({
        journeys: [j],
        people: everyone(),
        inputs: [...inputs].reverse(),
        from: MONDAY,
        until: MONDAY + 2 * DAYS
      })
    ).toEqual(lines);
  });

  it('ends with the instant asked for, which is included', () => {
    const until = (ms: number) =>
      replay({ journeys: [j], people: everyone(), inputs: [enter('p1', 1)], from: MONDAY, until: MONDAY + ms }).length;
    expect(until(DAYS - 1)).toBe(2);
    expect(until(DAYS)).toBe(4);
  });

  it('an answer that names no message is about the latest of its channel, at most 30 days old', () => {
    const asks = journey([mail('a'), wait('w', 'P40D'), put('x')], {
      goal: { when: { happening: 'replied', of: 'a' } }
    });
    const reply = (after: number) => ({
      at: MONDAY + after,
      person: 'p1',
      line: 2,
      input: {
        kind: 'happening' as const,
        happening: { name: 'replied', at: MONDAY + after, channel: 'email' as const, text: 'yes' }
      }
    });
    const last = (after: number) =>
      replay({
        journeys: [asks],
        people: everyone(),
        inputs: [enter('p1', 1), reply(after)],
        from: MONDAY,
        until: MONDAY + 50 * DAYS
      }).at(-1);
    expect(last(30 * DAYS)).toMatchObject({ as: 'goal' });
    expect(last(30 * DAYS + 1)).toMatchObject({ as: 'finished' });
  });

  it('instants come out as they are written, to the millisecond', () => {
    const [line] = replay({
      journeys: [j],
      people: everyone(),
      inputs: [enter('p1', 1, 7)],
      from: at('2027-03-01T00:00:00Z'),
      until: MONDAY + DAYS
    });
    expect(line?.at).toBe('2027-03-01T09:00:00.007Z');
  });
});
