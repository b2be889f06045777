/** hours: the next opening of sending hours in a zone, against the same question asked of Temporal objects; both must agree on every input. */
import { Temporal } from 'temporal-polyfill';
import { nextOpening, WEEKDAYS, type Hours } from '../core/time/hours.ts';
import type { Benchmark } from './row.ts';

const INPUTS = 100_000;
const ZONES = [
  'Europe/Dublin',
  'America/New_York',
  'Australia/Lord_Howe',
  'Pacific/Apia',
  'Asia/Kathmandu',
  'America/St_Johns',
  'Africa/Casablanca',
  'UTC'
];

/** The same rule, written with calendar objects. */
function byTemporal(hours: Hours, zone: string, at: number): number | null {
  const today = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).toPlainDate();
  const from = Temporal.PlainTime.from(hours.from);
  const to = Temporal.PlainTime.from(hours.to);
  const overnight = Temporal.PlainTime.compare(to, from) <= 0;
  for (let ahead = -1; ahead <= 367; ahead++) {
    const day = today.add({ days: ahead });
    if (hours.days && !hours.days.includes(WEEKDAYS[day.dayOfWeek - 1] ?? 'mon')) continue;
    if (hours.except?.includes(day.toString())) continue;
    const opens = day.toZonedDateTime({ timeZone: zone, plainTime: from }).epochMilliseconds;
    const closes = (overnight ? day.add({ days: 1 }) : day).toZonedDateTime({
      timeZone: zone,
      plainTime: to
    }).epochMilliseconds;
    if (at >= closes || opens >= closes) continue;
    const opening = Math.max(at, opens);
    return opening - at <= 366 * 86_400_000 ? opening : null;
  }
  return null;
}

/** Even numbers that are the same in every run. */
function random(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
}

export const hours: Benchmark = (say) => {
  const next = random(20270301);
  const pick = <T>(list: readonly T[]): T => list[Math.floor(next() * list.length)] as T;
  const time = (): string => `${String(Math.floor(next() * 24)).padStart(2, '0')}:${pick(['00', '15', '30', '45'])}`;
  const rules = Array.from({ length: 50 }, (): Hours => ({
    from: time(),
    to: time(),
    ...(next() < 0.5 ? { days: WEEKDAYS.filter(() => next() < 0.7).slice(0, 7) } : {})
  })).map((h) => (h.days?.length === 0 ? { from: h.from, to: h.to } : h));
  const begin = Date.parse('2020-01-01T00:00:00Z');
  const asked = Array.from({ length: INPUTS }, () => ({
    rule: pick(rules),
    zone: pick(ZONES),
    at: begin + Math.floor(next() * 12 * 365 * 86_400_000)
  }));
  const timed = (
    ask: (rule: Hours, zone: string, at: number) => number | null
  ): { ms: number; answers: (number | null)[] } => {
    const begun = performance.now();
    const answers = asked.map(({ rule, zone, at }) => ask(rule, zone, at));
    return { ms: performance.now() - begun, answers };
  };
  // The changes of daylight saving are looked up once a zone; that is part of the first run.
  const first = timed(nextOpening);
  const core = timed(nextOpening);
  const objects = timed(byTemporal);
  const differing = core.answers.filter((a, i) => a !== objects.answers[i]).length;
  if (differing) throw new Error(`${differing} of ${INPUTS} answers differ from Temporal's`);
  say(
    `${INPUTS} answers agree; first run ${Math.round(first.ms)} ms, then ${Math.round(core.ms)} ms against ${Math.round(objects.ms)} ms`
  );
  const perSecond = (ms: number): number => (INPUTS * 1000) / ms;
  return Promise.resolve([
    {
      name: 'next opening of sending hours',
      ours: perSecond(core.ms),
      reference: perSecond(objects.ms),
      ratio: objects.ms / core.ms,
      target: '>= 20',
      unit: 'answers/s'
    }
  ]);
};
