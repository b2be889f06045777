/** One line of a person's timeline, in words. */
import type { TimelineLine } from '$server/people/people.ts';
import type { FieldValue } from '$core/person/values.ts';
import { trailWords } from '$core/tell/trail.ts';
import { fieldText } from '$core/tell/words.ts';
import type { Format } from '$ui/format.ts';

const WORDS: Record<string, string> = {
  opened: 'Opened',
  clicked: 'Followed a link',
  replied: 'Replied',
  unsubscribed: 'Unsubscribed',
  bounced: 'Bounced',
  failed: 'Could not be sent',
  complained: 'Complained',
  goal_reached: 'Reached the goal'
};
/** What people did themselves. */
const THEIRS = new Set(['opened', 'clicked', 'replied', 'unsubscribed', 'complained', 'goal_reached']);

export interface Told {
  what: string;
  detail: string;
  /** Shown heavier: what the person did, rather than what a journey did. */
  theirs: boolean;
}

export function tell(line: TimelineLine, format: Format): Told {
  const d = line.detail;
  const about = line.message?.subject ?? line.step ?? '';
  const theirs = THEIRS.has(line.what);
  const ours = (what: string, detail = ''): Told => ({ what, detail, theirs });
  const clock = (key: string): string => format.dateTime(Date.parse(String(d[key])));
  switch (line.what) {
    case 'sent':
      return ours(
        line.message?.channel === 'sms' ? 'Text' : 'Email',
        line.message?.subject ?? line.message?.body ?? line.step ?? ''
      );
    case 'copied':
      return ours('Sent again', `${about} — ${String(d['by'])}, to ${String(d['to'])}`);
    case 'note':
      return ours('Note', `${String(d['words'])} — ${String(d['by'])}`);
    case 'field_refused':
      return ours(
        'Not changed',
        `${String(d['field'])}${typeof d['to'] === 'string' ? ` to ${d['to']}` : ', which was to be cleared'}: ${String(d['why'])}`
      );
    case 'merged': {
      const was = Object.entries((d['was'] ?? {}) as Record<string, unknown>).map(
        ([name, value]) => `${name.replace(/_/g, ' ')} ${fieldText(value as FieldValue)}`
      );
      return ours(
        'Made one',
        `with ${String(d['name'])}, by ${String(d['by'])}${was.length ? ` · was: ${was.join(', ')}` : ''}`
      );
    }
    case 'task':
      return ours(
        'Task',
        `${String(d['title'])} — ${String(d['by'])}${d['done'] === undefined ? '' : `, done by ${String(d['done'])}`}`
      );
    case 'answered': {
      const state = { queued: ' · on its way', sending: ' · on its way', failed: ` · not sent: ${String(d['error'])}` };
      return ours(
        'Text',
        `“${String(d['text'])}” — ${String(d['by'])}${state[String(d['state']) as keyof typeof state] ?? ''}`
      );
    }
    case 'waiting':
      return ours('Waits', `until ${clock('until')}`);
    case 'held':
      return ours('Held', `until ${clock('until')}, sending ${d['reason'] === 'limit' ? 'limits' : 'hours'}`);
    case 'skipped':
      return ours('Skipped', `${line.step ?? ''}: ${String(d['reason']).replace('-', ' ')}`);
    case 'replied':
      return ours('Replied', `“${String(d['text'])}”`);
    case 'clicked':
      return ours('Followed a link', `${String(d['link'])} · ${about}`);
    case 'failed':
    case 'bounced':
      return ours(WORDS[line.what] ?? '', `${about} · ${String(d['error'] ?? '')}`);
  }
  const told = trailWords(line.what, d);
  return told ? ours(...told) : ours(WORDS[line.what] ?? line.what.replace(/_/g, ' '), about);
}

/** When a try comes by the machine's clock, on which nothing else of a timeline goes. */
function soon(at: number | null, now: number): string {
  const minutes = ((at ?? now) - now) / 60_000;
  if (minutes < 0.2) return 'now';
  if (minutes < 1.5) return 'within a minute';
  return minutes < 90 ? `in ${Math.round(minutes)} minutes` : `in ${Math.round(minutes / 60)} hours`;
}

/** "no answer yet, tried 3 times, again at …" for a message that waits; empty otherwise. */
export function trying(line: TimelineLine, now = Date.now()): string {
  const m = line.message;
  if (line.what !== 'sent' || !m) return '';
  if (m.state === 'queued' && m.attempts > 0)
    return `tried ${m.attempts} ${m.attempts === 1 ? 'time' : 'times'}, again ${soon(m.nextTry, now)}: ${m.error ?? ''}`;
  if (m.state === 'failed' || m.state === 'bounced') return `${m.state}: ${m.error ?? ''}`;
  return m.state === 'sent' ? '' : 'on its way';
}
