/** Small journeys and people for tests. */
import type { Condition } from '../core/condition/schema.ts';
import { FORMAT, type Journey } from '../core/journey/schema.ts';
import { newPerson, type PersonState } from '../core/person/state.ts';
import type { Input } from '../core/person/world.ts';
import { replay, type PrintedLine } from '../core/replay/replay.ts';
import type { TimedInput } from '../core/replay/happenings.ts';
import type { Settings } from '../core/settings/schema.ts';
import { SETTINGS_FORMAT } from '../core/settings/schema.ts';
import type { Step } from '../core/steps/index.ts';

export const at = (text: string): number => Date.parse(text);
/** Monday 1 March 2027, 09:00 UTC. */
export const MONDAY = at('2027-03-01T09:00:00Z');
export const DAYS = 86_400_000;

export function journey(lane: Step[], rest: Partial<Journey> = {}): Journey {
  return { format: FORMAT, key: 'try', entry: { on: [{ happening: 'tag_added', tag: 'in' }] }, ...rest, lane };
}

export const mail = (key: string): Step => ({
  key,
  kind: 'email',
  subject: `About ${key}`,
  text: `See https://quillmoor.example/${key}`
});
export const text = (key: string): Step => ({ key, kind: 'sms', text: 'Clear skies' });
export const wait = (key: string, length = 'P1D'): Step => ({ key, kind: 'wait', for: length });
export const put = (...add: string[]): Step => ({ key: `put-${add.join('-')}`, kind: 'tag', add });
export const branch = (key: string, label: string, when: Condition, yes: Step[], no: Step[]): Step => ({
  key,
  kind: 'branch',
  by: 'rules',
  lanes: [{ label, when, lane: yes }],
  otherwise: { label: 'others', lane: no }
});

/** Someone with both addresses and both consents. */
export function reachable(id = 'p1', change: (p: PersonState) => void = () => undefined): PersonState {
  const person = newPerson(id);
  person.fields.set('email', `${id}@people.example`);
  person.fields.set('phone', '+447700900001');
  person.consent = { email: 'given', sms: 'given' };
  change(person);
  return person;
}

export interface Said {
  after?: number;
  at?: number;
  of?: string;
  journey?: string;
  input: Input;
}

/** Replays for one person from Monday; lines without person and journey. */
export function run(
  journeys: Journey | Journey[],
  said: Said[],
  person = reachable(),
  days = 60,
  settings: Settings | null = null
): Omit<PrintedLine, 'person'>[] {
  const inputs: TimedInput[] = said.map((s, line) => ({
    at: s.at ?? MONDAY + (s.after ?? 0),
    person: person.id,
    line,
    input:
      s.input.kind === 'happening'
        ? { kind: 'happening', happening: { ...s.input.happening, at: s.at ?? MONDAY + (s.after ?? 0) } }
        : s.input,
    ...(s.of ? { of: { step: s.of, ...(s.journey ? { journey: s.journey } : {}) } } : {})
  }));
  inputs.sort((a, b) => a.at - b.at || a.line - b.line);
  return replay({
    journeys: [journeys].flat(),
    settings,
    people: [person],
    inputs,
    from: MONDAY,
    until: MONDAY + days * DAYS
  }).map(({ person: _, ...line }) => line);
}

export const tagged = (...addTags: string[]): Said => ({ input: { kind: 'set', addTags } });
export const did = (name: string, of: string, after: number, more: object = {}): Said => ({
  after,
  of,
  input: { kind: 'happening', happening: { name, at: 0, ...more } }
});

/** What happened, short: "sent thanks", "took ask:opened", "left finished". */
export function short(lines: Omit<PrintedLine, 'person'>[]): string[] {
  return lines.map((l) => {
    const more = l['lane'] ?? l['reason'] ?? l['as'] ?? '';
    return [l['what'], l['step'], more].filter((part) => part !== null && part !== '').join(' ');
  });
}

export const HOUR = 3_600_000;

/** Settings of a workspace with what a test is about. */
export const settings = (more: Partial<Settings>): Settings => ({ format: SETTINGS_FORMAT, ...more });

/** A happening from outside that is about no message. */
export const happens = (name: string, after: number, more: object = {}): Said => ({
  after,
  input: { kind: 'happening', happening: { name, at: 0, ...more } }
});

/** Facts changed from outside. */
export const sets = (after: number, change: Omit<Extract<Input, { kind: 'set' }>, 'kind'>): Said => ({
  after,
  input: { kind: 'set', ...change }
});

/** Put into a journey by hand. */
export const enters = (journeyKey: string, after = 0): Said => ({
  after,
  input: { kind: 'enter', journey: journeyKey, by: 'hand' }
});

/** A journey that nobody gets into by themselves. */
export const byHand = (key: string, lane: Step[], rest: Partial<Journey> = {}): Journey =>
  journey(lane, { key, entry: {}, ...rest });

/** What happened and when, counted from Monday: "+2d sent a", "+90m took ask yes", "+0 two: entered". */
export function story(lines: Omit<PrintedLine, 'person'>[], own = 'try'): string[] {
  return lines.map((line) => {
    const { at: text, journey: key, ...rest } = line;
    const words = short([{ at: text, ...rest }])[0] ?? '';
    return `+${ago(at(String(text)) - MONDAY)} ${key === own ? '' : `${String(key)}: `}${words}`;
  });
}

function ago(ms: number): string {
  if (ms % DAYS === 0) return ms ? `${ms / DAYS}d` : '0';
  if (ms % HOUR === 0) return `${ms / HOUR}h`;
  return ms % 60_000 === 0 ? `${ms / 60_000}m` : `${ms}ms`;
}

/** All that an asynchronous source gives, in order. */
export async function collected<T>(source: AsyncIterable<T>): Promise<T[]> {
  const all: T[] = [];
  for await (const one of source) all.push(one);
  return all;
}
