import { expect, it } from 'vitest';
import { inboundText, signWebhook, verifyWebhook } from './gateway.ts';

const secret = 'a secret of the gateway';
const body = '{"id":"1"}';
const now = 1_800_000_000;

it.each<[string, string, string | null, number, boolean]>([
  ['the gateway’s own', body, signWebhook(secret, body, now), now, true],
  ['four minutes old', body, signWebhook(secret, body, now - 240), now, true],
  ['six minutes old', body, signWebhook(secret, body, now - 360), now, false],
  ['of another body', '{"id":"2"}', signWebhook(secret, body, now), now, false],
  ['by another secret', body, signWebhook('guessed', body, now), now, false],
  [
    'with its time moved',
    body,
    signWebhook(secret, body, now - 360).replace(String(now - 360), String(now)),
    now,
    false
  ],
  ['missing', body, null, now, false],
  ['nonsense', body, 't=1,v1=zz', now, false],
  ['with its time written otherwise', body, signWebhook(secret, body, now).replace('t=', 't=00'), now, false],
  ['of no length', body, '', now, false],
  ['with more behind it', body, `${signWebhook(secret, body, now)},v1=00`, now, false]
])('a signature %s', (_, of, header, seconds, good) => expect(verifyWebhook(secret, of, header, seconds)).toBe(good));

it('a text that comes in is repaired, whatever it holds', () => {
  const read = inboundText.parse({ id: 'x'.repeat(300), from: '+44\0', text: 'half \ud800' });
  expect(read).toEqual({
    id: expect.stringMatching(/^[0-9a-f]{64}$/) as string,
    from: '+44\ufffd',
    to: '',
    text: 'half \ufffd'
  });
});
