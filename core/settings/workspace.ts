/** The settings of a workspace, compiled: what the engine asks of them while it works. */
import type { FieldType, Channel } from '../person/values.ts';
import { compileCondition, eachCondition, type Test } from '../condition/evaluate.ts';
import { compileFilter, type HappeningName } from '../condition/happening.ts';
import type { Condition } from '../condition/schema.ts';
import { duration, type Duration } from '../time/duration.ts';
import type { Hours } from '../time/hours.ts';
import type { Engagement, Ladder, ScoreModel } from '../engagement/models.ts';
import type { Renamed } from '../journey/names.ts';
import type { Settings } from './schema.ts';

/** A segment, ready to be asked. */
export interface Segment {
  name: string;
  when: Condition;
  test: Test;
  /** Whether it can change by the clock alone. */
  daily: boolean;
}

/** What zone, ladders and score models say, and what else the engine asks. */
export interface Workspace extends Engagement {
  /** Types of declared fields, beside those every person has. */
  types: Map<string, FieldType>;
  segments: Segment[];
  /** Whether some segment can change by the clock alone, so that it has to be looked at every day. */
  daily: boolean;
  limits: { channel: Channel | null; atMost: number; per: Duration }[];
  hours: Partial<Record<Channel, Hours>>;
  /** Happenings that the settings' conditions ask about. */
  asks: Set<HappeningName>;
  /** Whether anything has to be looked at after each happening. */
  reacts: boolean;
}

/** Types of the fields that every person has. */
const OWN_TYPES: [string, FieldType][] = (['email', 'phone', 'first_name', 'last_name', 'zone'] as const).map((f) => [
  f,
  'text'
]);

/** Whether a condition can come true or false by the clock alone. */
function hangsOnClock(condition: Condition, settings: Settings): boolean {
  const decaying = new Set((settings.scores ?? []).filter((s) => s.decay).map((s) => s.name));
  return eachCondition(condition).some((c) => {
    if ('score' in c && !('did' in c) && !('came' in c)) return decaying.has(c.score);
    return (
      ('last' in c && c.last !== undefined) ||
      ('next' in c && c.next !== undefined) ||
      'dayIs' in c ||
      'segment' in c ||
      'rung' in c
    );
  });
}

/** Present names by former ones. */
function namesOf({ tags, lists, fields }: Settings): Renamed {
  const map = (of: readonly { name: string; formerly?: string[] | undefined }[] = []): Map<string, string> =>
    new Map(of.flatMap(({ name, formerly = [] }) => formerly.map((f): [string, string] => [f, name])));
  return { tag: map(tags), list: map(lists), field: map(fields) };
}

/** Compiles settings that the schema has accepted; without any, those of an empty workspace. `zone` stands in where they name none. */
export function compileSettings(settings: Settings | null, zone = 'UTC'): Workspace {
  const s: Settings = settings ?? { format: 'ambulo.settings/1' };
  const segments = s.segments ?? [];
  const ladders = (s.ladders ?? []).map((l): Ladder => ({
    name: l.name,
    counts: l.counts.map((f) => ({ name: f.happening, match: compileFilter(f, '') })),
    rungs: l.rungs.map((r) => ({ name: r.name, upTo: duration(r.upTo) })),
    after: l.after
  }));
  const scores = (s.scores ?? []).map((m): ScoreModel => ({
    name: m.name,
    rules: m.rules.map((r) => ({
      name: r.when.happening,
      match: compileFilter(r.when, ''),
      add: r.add,
      cap: r.atMost ? { points: r.atMost.points, per: duration(r.atMost.per) } : null
    })),
    decay: m.decay ? { by: m.decay.by, every: duration(m.decay.every) } : null,
    floor: m.floor ?? -Infinity,
    ceiling: m.ceiling ?? Infinity
  }));
  return {
    zone: s.zone ?? zone,
    types: new Map([...OWN_TYPES, ...(s.fields ?? []).map((f): [string, FieldType] => [f.name, f.type])]),
    segments: segments.map(({ name, when }) => ({
      name,
      when,
      test: compileCondition(when, ''),
      daily: hangsOnClock(when, s)
    })),
    daily: segments.some((g) => hangsOnClock(g.when, s)),
    limits: (s.limits ?? []).map((l) => ({ channel: l.channel ?? null, atMost: l.atMost, per: duration(l.per) })),
    hours: { ...(s.hours?.sms ? { sms: s.hours.sms } : {}), ...(s.hours?.email ? { email: s.hours.email } : {}) },
    ladders,
    scores: new Map(scores.map((m) => [m.name, m])),
    asks: new Set(segments.flatMap((g) => eachCondition(g.when)).flatMap((c) => ('did' in c ? [c.did] : []))),
    names: namesOf(s),
    reacts: segments.length > 0 || ladders.length > 0 || scores.some((m) => m.rules.length > 0)
  };
}
