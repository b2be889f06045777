/** Lines of a trail and happenings in words: those that no step kind makes stand here, the others in their kind's own file. */
import { bare } from '../bare.ts';
import type { TrailWords } from '../steps/base.ts';
import { STEP_KINDS } from '../steps/index.ts';

const text = (value: unknown): string => String(value).replace(/_/g, ' ');
const ENDS: Readonly<Record<string, string>> = {
  finished: 'Finished',
  goal: 'Left with the goal reached',
  early: 'Left early',
  stopped: 'Stopped'
};

const WORDS: Record<string, TrailWords> = Object.assign(
  bare<TrailWords>(),
  {
    entered: (d) => ['Entered', `by ${text(d['by'])}`],
    'held-out': () => ['Held out', 'watched, but nothing is sent'],
    refused: (d) => ['Not let in', `because of: ${text(d['reason'])}`],
    sent: (d) => [d['channel'] === 'sms' ? 'Text' : 'Email', ''],
    moved: (d) => ['Went over', `to version ${text(d['to'])}, from ${text(d['from'])}`],
    hurried: (d) => ['Wait skipped', `by ${text(d['by'])}`],
    waiting: (d) => ['Waits', `until ${text(d['until'])}`],
    held: (d) => ['Held', `until ${text(d['until'])}`],
    skipped: (d) => ['Skipped', text(d['reason'])],
    took: (d) => ['Took the lane', String(d['lane'])],
    reached: () => ['Reached the goal', ''],
    left: (d) => [ENDS[String(d['as'])] ?? 'Left', d['reason'] === undefined ? '' : String(d['reason'])],
    tag_added: (d) => ['Tag put on', String(d['tag'])],
    tag_removed: (d) => ['Tag taken off', String(d['tag'])],
    list_joined: (d) => ['Put on the list', String(d['list'])],
    list_left: (d) => ['Taken off the list', String(d['list'])],
    segment_joined: (d) => ['Joined the segment', String(d['segment'])],
    segment_left: (d) => ['Left the segment', String(d['segment'])],
    rung_changed: (d) => ['Rung', `${String(d['ladder'])}: ${String(d['to'])}`],
    points_given: (d) => [
      'Points',
      `${Number(d['points']) > 0 ? '+' : ''}${String(d['points'])} of ${String(d['score'])}, by ${text(d['by'] ?? 'hand')}`
    ],
    score_reached: (d) => ['Score', `${String(d['score'])} is now ${String(d['points'])}`],
    consent_changed: (d) => [
      'Consent',
      `${d['channel'] === 'sms' ? 'text' : 'email'}: ${d['to'] ? text(d['to']) : 'cleared'}`
    ],
    field_changed: (d) => [
      'Field',
      `${String(d['field'])}: ${d['to'] === undefined ? 'cleared' : [d['to']].flat().map(String).join(', ')}`
    ]
  } satisfies Record<string, TrailWords>,
  ...Object.values(STEP_KINDS).map(({ trail }) => trail)
) as Record<string, TrailWords>;

/** What a line says; `null` for a happening that has no words of its own. */
export const trailWords: (what: string, detail: Record<string, unknown>) => ReturnType<TrailWords> | null = (
  what,
  detail
) => WORDS[what]?.(detail) ?? null;
