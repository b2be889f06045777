/** Servers that refuse us, or are away, so that sending has stopped by itself. */
import { plural } from '../../../core/tell/words.ts';
import { ts, type Db } from '../../db/pool.ts';
import { MOST_COUNTED, stoppedChannels, type StoppedChannel } from '../../post/channels.ts';
import type { Need } from './need.ts';

/** Errors of a line that was there and broke. */
const BREAKS_OFF = /closed unexpectedly|socket close|ECONNRESET|EPIPE|hang up/i;

function whatIsIt({ is, matter }: StoppedChannel): string {
  if (is === 'ours') return 'refuses us';
  return BREAKS_OFF.test(matter) ? 'breaks off before it answers' : 'cannot be reached';
}

export async function channelNeeds(db: Db, now: number): Promise<Need[]> {
  return (await stoppedChannels(db, ts(now))).map((m) => ({
    kind: 'matter',
    title: `${m.channel === 'email' ? 'The mail server' : 'The SMS gateway'} ${whatIsIt(m)}`,
    detail: `${m.matter} · ${plural(m.waiting, 'message waits', 'messages wait')}${m.waiting >= MOST_COUNTED ? ', or more' : ''}; none is lost. One is tried now and then, and sending goes on by itself once it is mended.`,
    action: { name: 'resume', value: m.channel, label: 'Send now' }
  }));
}
