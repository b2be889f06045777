/** Machines that fetch what is in a mail are told apart from its reader; texts that stop, start, ask for help or did not arrive. */
import { afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { clicked, opened, workspaceSecret } from '../../server/intake/intake.ts';
import { decideEarly } from '../../server/intake/early.ts';
import { receivedText, saveTextWords, textReported } from '../../server/intake/texts.ts';
import { signToken } from '../../server/intake/token.ts';
import { messageKey } from '../../server/mail/message-id.ts';
import { settle } from '../../server/running/skip.ts';
import { askEntry } from '../../server/people/inputs.ts';
import type { Step } from '../../core/steps/index.ts';
import { DAYS, HOUR, journey, mail, MONDAY, put, reachable, text, wait } from '../make.ts';
import { addPeople, live, openWorld, READER, skipTo, trailOf, type World } from './world.ts';

let world: World;
/** The secret is read once a process: all worlds of this file share the first one's. */
let secret: Buffer;
beforeAll(async () => {
  const first = await openWorld();
  secret = await workspaceSecret(first.pool);
  await first.close();
});
beforeEach(async () => {
  world = await openWorld();
  await world.pool.query('update workspace set secret = $1', [secret]);
});
afterEach(() => world.close());

const SCANNER = { ...READER, userAgent: 'Examplebot/1.0' };
const token = (use: 'open' | 'link', number = 0): string => signToken(secret, use, { person: 1, message: 1, number });
const two: Step[] = [
  {
    key: 'a',
    kind: 'email',
    subject: 'Hello',
    text: 'https://quillmoor.example/a and https://quillmoor.example/b'
  } as Step,
  {
    key: 'l',
    kind: 'listen',
    for: [{ label: 'heard', when: { happening: 'clicked', of: 'a' }, lane: [put('heard')] }],
    limit: 'P2D',
    otherwise: { label: 'not', lane: [] }
  } as Step
];
async function send(steps: Step[]): Promise<void> {
  await addPeople(world.pool, [reachable('1')]);
  await live(world, journey(steps));
  await askEntry(world.pool, [1], 'try', 'test');
  await skipTo(world, MONDAY + HOUR);
}
const heard = async (): Promise<boolean> => (await trailOf(world.pool)).some((l) => l['step'] === 'put-heard');
const recorded = async (): Promise<unknown[]> =>
  (
    await world.pool.query<{ name: string; machine: boolean | null }>(
      `select name, (data ->> 'machine')::boolean as machine from happenings where source = 'tracking' order by id`
    )
  ).rows.map((r) => `${r.name}${r.machine ? ' by a machine' : ''}`);
const later = (): Promise<unknown> =>
  world.pool.query(`update messages set handed_at = handed_at - interval '1 minute'`);

describe('what is fetched of a mail', () => {
  beforeEach(() => send(two));

  it('by a reader within seconds is theirs, once the seconds are over', async () => {
    expect(await clicked(world.pool, token('link', 1), READER)).toBe('https://quillmoor.example/a');
    await opened(world.pool, token('open'), READER);
    expect(await recorded()).toEqual([]);
    expect(await decideEarly(world.pool)).toBe(0);
    await world.pool.query(`update early_fetches set decide_at = clock_timestamp()`);
    expect(await decideEarly(world.pool)).toBe(2);
    expect(await recorded()).toEqual(['clicked', 'opened']);
    await settle(world.engine, false);
    expect(await heard()).toBe(true);
  });
  it('every link within seconds: a scanner; nobody has clicked, and the reader still can', async () => {
    await opened(world.pool, token('open'), READER);
    for (const number of [1, 2]) await clicked(world.pool, token('link', number), READER);
    await settle(world.engine, false);
    expect(await recorded()).toEqual(['opened by a machine', 'clicked by a machine', 'clicked by a machine']);
    expect(await heard()).toBe(false);
    await later();
    await clicked(world.pool, token('link', 1), READER);
    await settle(world.engine, false);
    expect(await heard()).toBe(true);
    const { rows } = await world.pool.query(
      'select clicked_at is not null as clicked, opened_at is not null as opened from messages'
    );
    expect(rows[0]).toEqual({ clicked: true, opened: false });
  });
  it('the link that nobody can see: a machine, and what it fetched with it', async () => {
    expect(await clicked(world.pool, token('link', 0), READER)).toBe('/');
    await clicked(world.pool, token('link', 1), READER);
    await settle(world.engine, false);
    expect(await recorded()).toEqual(['clicked by a machine', 'clicked by a machine']);
    expect(await heard()).toBe(false);
    expect(world.postbox.mails[0]!.html).toMatch(
      /<a href="[^"]+\/l\/[^"]+" style="display:none[^"]*" aria-hidden="true" tabindex="-1"><\/a>/
    );
  });
  it('by an agent that says so, at any time; and a loop that fetches for ever is one fetch', async () => {
    await later();
    for (let i = 0; i < 20; i++) await opened(world.pool, token('open'), SCANNER);
    await clicked(world.pool, token('link', 1), { ...READER, method: 'HEAD' });
    await settle(world.engine, false);
    expect(await recorded()).toEqual(['opened by a machine', 'clicked by a machine']);
    expect(await heard()).toBe(false);
  });
  it('killed before the seconds are over, nothing is lost: another worker decides', async () => {
    await clicked(world.pool, token('link', 1), READER);
    await world.pool.query(`update early_fetches set decide_at = clock_timestamp()`);
    const both = await Promise.all([decideEarly(world.pool), decideEarly(world.pool)]);
    expect(both.reduce((a, b) => a + b)).toBe(1);
    expect(await recorded()).toEqual(['clicked']);
  });
});

describe('texts that come in', () => {
  const say = (body: string, id = body) => receivedText(world.pool, { id, from: '+447700900001', to: 'Q', text: body });
  const consent = async (): Promise<unknown> =>
    (await world.pool.query<{ state: string }>(`select state from consents where channel = 'sms'`)).rows[0]?.state;

  it('stop, in the words of any language, and start again', async () => {
    await send([text('t'), wait('w', 'P9D')]);
    await say('Stopp!');
    await settle(world.engine, false);
    expect(await consent()).toBe('withdrawn');
    await say('START');
    await settle(world.engine, false);
    expect(await consent()).toBe('given');
  });
  it('ask for help, and are told the workspace’s own words', async () => {
    await send([text('t'), wait('w', 'P9D')]);
    expect(await say('Help')).toEqual({ as: 'help', say: null });
    await saveTextWords(world.pool, { help: ['was ist das'], helpText: 'Quillmoor Observatory, 01 23 45' });
    expect(await say('Was ist das?')).toEqual({ as: 'help', say: 'Quillmoor Observatory, 01 23 45' });
  });
  it('a report that one did not arrive suppresses the number, once; one about no text of ours is nothing', async () => {
    await send([text('t'), wait('w', 'P1D'), text('u')]);
    const id = messageKey(secret, { person: 1, message: 1 });
    const gone = { id, status: 'undelivered' as const, code: 'unknown-number', error: 'not in use' };
    expect(
      await textReported(world.pool, secret, { ...gone, id: `${id.slice(0, -1)}${id.endsWith('0') ? '1' : '0'}` })
    ).toBe(false);
    expect(await textReported(world.pool, secret, { ...gone, status: 'delivered' })).toBe(true);
    expect([await textReported(world.pool, secret, gone), await textReported(world.pool, secret, gone)]).toEqual([
      true,
      true
    ]);
    await skipTo(world, MONDAY + 3 * DAYS);
    expect((await world.pool.query('select address from suppressions')).rows).toEqual([{ address: '+447700900001' }]);
    expect((await world.pool.query(`select * from happenings where name = 'bounced'`)).rows).toHaveLength(1);
    expect((await trailOf(world.pool)).at(-1)).toMatchObject({ what: 'left', reason: 'bounced' });
    expect((await world.pool.query('select state from messages')).rows).toEqual([{ state: 'bounced' }]);
  });
  it('an email is not what they answer', async () => {
    await send([mail('a'), wait('w', 'P9D')]);
    expect(await say('hello')).toEqual({ as: 'taken' });
  });
});
