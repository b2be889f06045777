import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import nodemailer from 'nodemailer';
import { describe, expect, it } from 'vitest';
import { startHandset } from './handset.ts';
import { postJson, serve } from './http.ts';
import { startPostbox } from './postbox.ts';

const folder = (): string => mkdtempSync(join(tmpdir(), 'standins-'));

describe('Postbox', () => {
  const mail = (to: string, id: string) => ({
    from: 'desk@quillmoor.example',
    to,
    messageId: `<${id}@quillmoor.example>`,
    subject: 'Hello',
    text: 'See http://127.0.0.1:9/l/x',
    html: '<p>See</p>'
  });

  it('keeps one mail for each Message-ID, also over a restart', async () => {
    const file = join(folder(), 'mail.ndjson');
    let postbox = await startPostbox({ smtp: 0, http: 0 }, file);
    const send = async (to: string, id: string) => {
      const transport = nodemailer.createTransport({ host: '127.0.0.1', port: postbox.smtpPort, ignoreTLS: true });
      await transport.sendMail(mail(to, id)).finally(() => transport.close());
    };
    await send('a@people.example', '1');
    await send('a@people.example', '1');
    await send('b@people.example', '2');
    expect(postbox.mails.map((m) => [m.to, m.repeats])).toEqual([
      ['a@people.example', 1],
      ['b@people.example', 0]
    ]);
    await expect(send('no-mailbox.c@people.example', '3')).rejects.toThrow(/550/);
    await postbox.close();
    postbox = await startPostbox({ smtp: 0, http: 0 }, file);
    await send('b@people.example', '2');
    expect(postbox.mails.map((m) => [m.id, m.to])).toEqual([
      [1, 'a@people.example'],
      [2, 'b@people.example']
    ]);
    await postbox.close();
  });

  it('lists the newest first, finds by address, and follows only links that stand in a mail', async () => {
    const postbox = await startPostbox({ smtp: 0, http: 0 });
    const transport = nodemailer.createTransport({ host: '127.0.0.1', port: postbox.smtpPort, ignoreTLS: true });
    for (const n of ['1', '2', '3']) await transport.sendMail(mail(`p${n}@people.example`, n));
    transport.close();
    const api = (path: string, init?: RequestInit) => fetch(`http://127.0.0.1:${postbox.httpPort}${path}`, init);
    const list = async (query: string) =>
      ((await (await api(`/api/mail?${query}`)).json()) as { mail: { to: string }[] }).mail.map((m) =>
        m.to.slice(0, 2)
      );
    expect(await list('order=newest&limit=2')).toEqual(['p3', 'p2']);
    expect(await list('search=P1@')).toEqual(['p1']);
    expect(await list('after=2')).toEqual(['p3']);
    expect(
      (await postJson(`http://127.0.0.1:${postbox.httpPort}/api/follow`, { url: 'http://127.0.0.1:9/other' })).status
    ).toBe(400);
    expect((await api('/api/mail/99')).status).toBe(404);
    expect((await api('/nothing')).status).toBe(404);
    await postbox.close();
  });
});

describe('Handset', () => {
  const secret = 'shared with the gateway';

  it('takes a text once for its id, and keeps an answer only once the webhook took it', async () => {
    const heard: unknown[] = [];
    let status = 202;
    const webhook = await serve({ 'POST /hooks/sms': ({ body }) => (heard.push(body), { status, json: {} }) }, 0);
    const file = join(folder(), 'texts.ndjson');
    const handset = await startHandset({
      port: 0,
      webhook: () => `http://127.0.0.1:${webhook.port}/hooks/sms`,
      secret,
      file
    });
    const post = (path: string, body: object) => postJson(`http://127.0.0.1:${handset.port}${path}`, body);
    const text = { id: 't1', from: 'Quillmoor', to: '+447700900001', text: 'Clear skies', at: '2027-03-01T09:00:00Z' };
    expect((await post('/messages', text)).status).toBe(202);
    expect((await post('/messages', text)).status).toBe(202);
    expect(handset.texts).toMatchObject([{ id: 't1', repeats: 1, direction: 'out' }]);

    expect((await post('/api/reply', { number: '+447700900001', text: 'Yes' })).status).toBe(202);
    expect(heard[0]).toMatchObject({ from: '+447700900001', to: 'Quillmoor', text: 'Yes' });

    // An answer that nobody took is not shown as sent.
    status = 500;
    expect((await post('/api/reply', { number: '+447700900001', text: 'Lost?' })).status).toBe(502);
    expect((await post('/api/reply', { number: '+447700900002', text: 'Hello?' })).status).toBe(404);
    expect(handset.texts.map((t) => t.text)).toEqual(['Clear skies', 'Yes']);
    await handset.close();

    const again = await startHandset({ port: 0, webhook: () => '', secret, file });
    expect(again.texts.map((t) => t.text)).toEqual(['Clear skies', 'Yes']);
    await again.close();
    await webhook.close();
  });
});
