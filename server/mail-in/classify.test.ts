/** What really comes back about mail, and what it is taken for. */
import { simpleParser } from 'mailparser';
import { describe, expect, it } from 'vitest';
import { classify, type Inbound } from './classify.ts';
import { ownWords } from './own-words.ts';

const KEY = '3.2a.0123456789abcde';
const BOUNCE = { from: '', to: [`bounce+${KEY}@quillmoor.example`] };
const REPLY = { from: 'ada@people.example', to: [`reply+${KEY}@quillmoor.example`] };

const read = async (raw: string, envelope = REPLY) =>
  classify(await simpleParser(raw.replace(/\r?\n/g, '\r\n')), envelope, raw);
const plain = (headers: string, text: string): string =>
  `From: Ada <ada@people.example>\nTo: desk@quillmoor.example\n${headers}\n\n${text}\n`;
const report = (status: string, more = '', returned = ''): string => `From: MAILER-DAEMON@mx.example
Subject: Undelivered Mail Returned to Sender
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status; boundary="b"

--b
Content-Type: text/plain

It did not arrive.

--b
Content-Type: message/delivery-status

Reporting-MTA: dns; mx.example

Final-Recipient: rfc822; ada@people.example
${status}
${more}

--b
Content-Type: text/rfc822-headers

Subject: Hello
${returned}

--b--
`;

describe('delivery reports', () => {
  it.each<[string, string, Partial<Inbound>]>([
    [
      'no such mailbox',
      'Action: failed\nStatus: 5.1.1\nDiagnostic-Code: smtp; 550 5.1.1 <ada@people.example>:\n User unknown',
      { kind: 'bounced', hard: true, error: '550 5.1.1 <ada@people.example>: User unknown' }
    ],
    ['no such domain', 'Action: failed\nStatus: 5.1.2', { kind: 'bounced', hard: true }],
    ['disabled', 'Action: failed\nStatus: 5.2.1 (disabled)', { kind: 'bounced', hard: true }],
    [
      'full',
      'Action: failed\nStatus: 5.2.2\nDiagnostic-Code: smtp; 552 5.2.2 mailbox full',
      { kind: 'bounced', hard: false }
    ],
    ['full for now', 'Action: failed\nStatus: 4.2.2', { kind: 'bounced', hard: false }],
    ['too long on its way', 'Action: failed\nStatus: 4.4.7', { kind: 'bounced', hard: false }],
    [
      'policy is about us',
      'Action: failed\nStatus: 5.7.1\nDiagnostic-Code: smtp; 550 5.7.1 blocked',
      { kind: 'bounced', hard: false }
    ],
    [
      'a bare 550 for a user',
      'Action: failed\nStatus: 5.0.0\nDiagnostic-Code: smtp; 550 No such user here',
      { kind: 'bounced', hard: true }
    ],
    ['says no more than failed', 'Action: failed\nStatus: 5.0.0', { kind: 'bounced', hard: false }],
    ['still being tried', 'Action: delayed\nStatus: 4.4.1', { kind: 'report' }],
    ['arrived after all', 'Action: delivered\nStatus: 2.0.0', { kind: 'report' }],
    ['nothing at all in it', '', { kind: 'bounced', hard: false }]
  ])('%s', async (_, status, expected) => {
    const { inbound, keys } = await read(report(status), BOUNCE);
    expect(inbound).toMatchObject(expected);
    expect(keys[0]).toBe(KEY);
  });
  it('sent elsewhere is known by the headers it returns', async () => {
    const { keys } = await read(report('Action: failed\nStatus: 5.1.1', '', `Message-ID: <${KEY}@quillmoor.example>`), {
      from: '',
      to: ['desk@quillmoor.example']
    });
    expect(keys).toEqual([KEY]);
  });
  it.each<[string, string, Partial<Inbound>]>([
    ['a bare code', '550 No such user here', { hard: true }],
    ['an enhanced code', 'The server said: 550 5.1.1 unknown', { hard: true }],
    ['a sentence', 'Sorry, no mailbox here by that name: user unknown.', { hard: true }],
    ['full', '552 5.2.2 Mailbox full', { hard: false }],
    ['spam', '550 Message looks like spam', { hard: false }],
    ['nothing one can read', 'Etwas ging schief.', { hard: false }]
  ])('in prose: %s', async (_, text, expected) => {
    const raw = `From: MAILER-DAEMON@mx.example\nSubject: failure notice\n\nHi. This is the mail program.\n${text}\n`;
    const { inbound, keys } = await read(raw, BOUNCE);
    expect(inbound).toMatchObject({ kind: 'bounced', ...expected });
    expect(keys[0]).toBe(KEY);
  });
});

describe('complaints', () => {
  const feedback = (type: string): string => `From: feedback@mx.example
Subject: FW: Hello
MIME-Version: 1.0
Content-Type: multipart/report; report-type=feedback-report; boundary="b"

--b
Content-Type: text/plain

A report.

--b
Content-Type: message/feedback-report

Feedback-Type: ${type}
Version: 1

--b
Content-Type: message/rfc822

Message-ID: <${KEY}@quillmoor.example>
Subject: Hello

x

--b--
`;
  it('are about the message they hold', async () => {
    const { inbound, keys } = await read(feedback('abuse'), {
      from: 'feedback@mx.example',
      to: ['abuse@quillmoor.example']
    });
    expect(inbound).toEqual({ kind: 'complained', feedback: 'abuse' });
    expect(keys).toContain(KEY);
  });
  it('are about the message they return inline, or name by a field alone', async () => {
    const inline = feedback('abuse').replace('message/rfc822', 'message/rfc822\nContent-Disposition: inline');
    const elsewhere = { from: 'feedback@mx.example', to: ['abuse@quillmoor.example'] };
    expect((await read(inline, elsewhere)).keys).toContain(KEY);
    const named = feedback('abuse')
      .replace(`Message-ID: <${KEY}@quillmoor.example>\n`, '')
      .replace('Version: 1', `Version: 1\nOriginal-Mail-From: <bounce+${KEY}@quillmoor.example>`);
    expect(await read(named, elsewhere)).toMatchObject({ inbound: { kind: 'complained' }, keys: [KEY] });
  });
  it('that take one back are none', async () => {
    expect((await read(feedback('not-spam'))).inbound.kind).toBe('report');
  });
});

describe('answers', () => {
  it.each<[string, string, string]>([
    ['as it is', 'Yes please', 'Yes please'],
    [
      'quoted in English',
      'Yes please\n\nOn Mon, 1 Mar 2027 at 09:00, Desk <desk@quillmoor.example> wrote:\n> Coming?\n> Really?',
      'Yes please'
    ],
    [
      'quoted in German',
      'Ja gerne\n\nAm 01.03.2027 um 09:00 schrieb Desk <desk@quillmoor.example>:\n> Kommst du?',
      'Ja gerne'
    ],
    [
      'quoted by a header block',
      'Sure\n\n-----Original Message-----\nFrom: Desk\nSent: Monday\nTo: me\nSubject: x\n\nHello',
      'Sure'
    ],
    ['nothing but a quotation', '> Coming?', '> Coming?'],
    [
      'a header block in German',
      'Gerne\n\nVon: Desk\nGesendet: Montag, 1. März 2027\nAn: Ada\nBetreff: x\n\nHallo',
      'Gerne'
    ],
    [
      'a header block in French',
      'Volontiers\n\nDe : Desk\nEnvoyé : lundi 1 mars 2027\nÀ : Ada\nObjet : x\n\nBonjour',
      'Volontiers'
    ],
    [
      'a header block in Spanish',
      'Claro\n\nDe: Desk\nEnviado el: lunes, 1 de marzo\nPara: Ada\nAsunto: x\n\nHola',
      'Claro'
    ],
    ['a line of dashes in German', 'Ja\n\n-------- Ursprüngliche Nachricht --------\nHallo', 'Ja'],
    ['a line of dashes in French', 'Oui\n\n-------- Message d’origine --------\nBonjour', 'Oui'],
    ['a line of dashes in Spanish', 'Sí\n\n-----Mensaje original-----\nHola', 'Sí'],
    [
      'quoted by a name in German',
      'Ja\n\nDesk <desk@quillmoor.example> schrieb am Mo., 1. März 2027, 09:00:\n\nHallo',
      'Ja'
    ],
    ['quoted in Irish', 'Tá\n\nAr 1 Márta 2027, scríobh Desk:\nDia duit', 'Tá'],
    ['a word that begins a header block', 'From: the harbour\nwe walk up', 'From: the harbour\nwe walk up']
  ])('%s', async (_, text, own) => {
    const { inbound, keys } = await read(plain('Subject: Re: Hello', text));
    expect(inbound).toEqual({ kind: 'replied', text: own, subject: 'Re: Hello', machine: false });
    expect(keys).toEqual([KEY]);
  });
  it('are known by what they answer, where they went elsewhere: the nearest first', async () => {
    const other = '3.1.0123456789abcde';
    const raw = plain(
      `In-Reply-To: <${KEY}@quillmoor.example>\nReferences: <${other}@quillmoor.example> <${KEY}@quillmoor.example>`,
      'ok'
    );
    expect((await read(raw, { from: 'ada@people.example', to: ['desk@quillmoor.example'] })).keys).toEqual([
      KEY,
      KEY,
      other
    ]);
  });
  it.each([
    'Auto-Submitted: auto-replied',
    'Auto-Submitted: auto-generated; type=x',
    'X-Autoreply: yes',
    'X-Autorespond: Re: Hello',
    'Precedence: auto_reply',
    'Precedence: bulk',
    'List-Id: <people.example>',
    'X-Auto-Response-Suppress: All',
    'Subject: Automatic reply: Hello',
    'Subject: Out of office',
    'Subject: Réponse automatique : Hello',
    'Subject: Absence du bureau Re: Hello',
    'Subject: Respuesta automática: Hello',
    'Subject: Fuera de la oficina',
    'Subject: Abwesenheitsnotiz: Hello',
    'Subject: Automatische Antwort: Hello',
    'Subject: Freagra uathoibríoch: Hello',
    'Subject: Risposta automatica: Hello',
    'Subject: Automatisch antwoord: Hello'
  ])('%s: automatic, and matches nothing', async (header) => {
    expect((await read(plain(header, 'I am away'))).inbound).toMatchObject({ kind: 'replied', machine: true });
  });
  it.each([
    'I am currently out of the office until Monday.',
    'Hello,\nThank you for your mail. I am on annual leave until 8 March.',
    'Vielen Dank für Ihre Nachricht. Ich bin bis zum 8. März nicht im Büro.',
    'Guten Tag, ich bin derzeit im Urlaub.',
    'Bonjour,\nje suis absente jusqu’au 8 mars.',
    'Hola, estoy fuera de la oficina hasta el lunes.',
    'A chara, tá mé as an oifig go dtí an Luan.'
  ])('%j, without any header: automatic', async (text) => {
    expect((await read(plain('Subject: Re: Hello', text))).inbound).toMatchObject({ kind: 'replied', machine: true });
  });
  it.each(['I am coming on Friday', 'Thank you! I am so glad.', 'Ich bin dabei', 'Je suis partante', 'Estoy lista'])(
    '%j is a person',
    async (text) => {
      expect((await read(plain('Subject: Re: Hello', text))).inbound).toMatchObject({ machine: false });
    }
  );
  it.each([
    ['unsubscribe', ''],
    ['Re: STOP', ''],
    ['AW: Abmelden', '\n \n']
  ])('an empty mail called %j is an unsubscription', async (subject, text) => {
    expect((await read(plain(`Subject: ${subject}`, text))).inbound).toEqual({ kind: 'unsubscribed' });
  });
  it.each([
    ['Re: Stop by on Friday', ''],
    ['STOP', 'Yes please, I come']
  ])('%j with %j is none', async (subject, text) => {
    expect((await read(plain(`Subject: ${subject}`, text))).inbound.kind).toBe('replied');
  });
  it('"Auto-Submitted: no" is a person', async () => {
    expect((await read(plain('Auto-Submitted: no', 'hello'))).inbound).toMatchObject({ machine: false });
  });
  it.each(['unsubscribe', 'STOP', 'Stop, please'])('%s is an unsubscription', async (text) => {
    expect(
      (
        await read(
          plain('Subject: Re: Hello', `${text}\n\nOn Mon, 1 Mar 2027 at 09:00, Desk <d@q.example> wrote:\n> Hi`)
        )
      ).inbound
    ).toEqual({ kind: 'unsubscribed' });
  });
  it('to the address for it, whatever it says', async () => {
    const { inbound, keys } = await read(plain('', ''), {
      from: 'x@y.example',
      to: [`unsubscribe+${KEY}@quillmoor.example`]
    });
    expect([inbound, keys]).toEqual([{ kind: 'unsubscribed' }, [KEY]]);
  });
});

describe('whatever comes', () => {
  it.each<[string, string]>([
    ['nothing', ''],
    ['no headers', '\n\nhello'],
    ['a boundary that never comes', 'Content-Type: multipart/mixed; boundary=b\n\nhello'],
    [
      'parts in parts in parts',
      Array.from({ length: 200 }, (_, i) => `Content-Type: multipart/mixed; boundary=b${i}\n\n--b${i}\n`).join('')
    ],
    ['a broken encoding', 'Content-Type: text/plain; charset=nonsense\nContent-Transfer-Encoding: base64\n\n%%%%'],
    ['bytes', '\u0000\u0001\u00ff\n\n\u0000'],
    ['a header of a megabyte', `Subject: ${'x'.repeat(1_000_000)}\n\nhello`]
  ])('%s can be read', async (_, raw) => {
    expect((await read(raw)).inbound.kind).toMatch(/replied|bounced|unsubscribed/);
  });
  it('words that take a parser for ever are given up in time', () => {
    const began = process.cpuUsage().user;
    for (const hostile of [
      `On ${'\n'.repeat(19_000)}wrote`,
      `On ${' \n \n'.repeat(4000)}wrote`,
      'On '.repeat(6000),
      '>'.repeat(20_000)
    ])
      ownWords(hostile);
    expect((process.cpuUsage().user - began) / 1000).toBeLessThan(3000);
    expect(ownWords('Yes\n\nOn Mon, 1 Mar 2027 at 09:00, Desk <d@q.example> wrote:\n> Hi')).toBe('Yes');
  });
});
