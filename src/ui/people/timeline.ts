/** One line of a person's timeline, in words. */
import type { TimelineLine } from '$server/people/people.ts';
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

export interface Told {
  what: string;
  detail: string;
  /** Shown heavier: what the person did, rather than what a journey did. */
  theirs: boolean;
}

function list(value: unknown): string {
  return Array.isArray(value) ? value.join(', ') : '';
}

export function tell(line: TimelineLine, format: Format): Told {
  const d = line.detail;
  const ours = (what: string, detail = ''): Told => ({ what, detail, theirs: false });
  const about = line.message?.subject ?? line.step ?? '';
  switch (line.what) {
    case 'entered':
      return ours('Entered', `by ${String(d['by']).replace(/_/g, ' ')}`);
    case 'sent':
      return ours(
        line.message?.channel === 'sms' ? 'Text' : 'Email',
        line.message?.subject ?? line.message?.body ?? line.step ?? ''
      );
    case 'waiting':
      return ours('Waits', `until ${format.dateTime(Date.parse(String(d['until'])))}`);
    case 'held':
      return ours('Held', `until ${format.dateTime(Date.parse(String(d['until'])))}, sending hours`);
    case 'took':
      return ours('Took the lane', String(d['lane']));
    case 'tagged': {
      const add = list(d['add']);
      const remove = list(d['remove']);
      return ours(
        'Tagged',
        [add && `+ ${add}`, remove && `− ${remove}`].filter(Boolean).join(' ') || 'nothing changed'
      );
    }
    case 'scored':
      return ours('Score', `${String(d['score'])} is now ${String(d['points'])}`);
    case 'skipped':
      return ours('Skipped', `${line.step ?? ''}: ${String(d['reason']).replace('-', ' ')}`);
    case 'refused':
      return ours('Not let in', `because of: ${String(d['reason'])}`);
    case 'reached':
      return ours('Reached the goal');
    case 'left':
      return ours(
        d['as'] === 'finished' ? 'Finished' : d['as'] === 'goal' ? 'Left with the goal reached' : 'Left early',
        d['reason'] ? String(d['reason']) : ''
      );
    case 'tag_added':
      return ours('Tag put on', String(d['tag']));
    case 'tag_removed':
      return ours('Tag taken off', String(d['tag']));
    case 'consent_changed':
      return ours('Consent', `${String(d['channel']) === 'sms' ? 'text' : 'email'}: ${String(d['to']) || 'cleared'}`);
    case 'field_changed':
      return ours('Field', `${String(d['field'])}: ${d['to'] === undefined ? 'cleared' : String(d['to'])}`);
    case 'replied':
      return { what: 'Replied', detail: `“${String(d['text'])}”`, theirs: true };
    case 'clicked':
      return { what: 'Followed a link', detail: `${String(d['link'])} · ${about}`, theirs: true };
    case 'bounced':
    case 'failed':
      return { what: WORDS[line.what] ?? line.what, detail: `${about} · ${String(d['error'] ?? '')}`, theirs: false };
    default:
      return { what: WORDS[line.what] ?? line.what.replace(/_/g, ' '), detail: about, theirs: line.what in WORDS };
  }
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
