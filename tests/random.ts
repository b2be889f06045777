/** Random journeys, people and happenings for properties, built from what the language has. */
import fc from 'fast-check';
import type { Condition, HappeningOrCondition } from '../core/condition/schema.ts';
import type { Journey } from '../core/journey/schema.ts';
import type { PersonState } from '../core/person/state.ts';
import type { Step } from '../core/steps/index.ts';
import { branch, DAYS, journey, mail, reachable, text, wait } from './make.ts';

/** What happens to a person from outside. */
export interface Act {
  /** ms after the start. */
  after: number;
  /** Index of the person. */
  person: number;
  do: 'tag' | 'untag' | 'enter' | 'opened' | 'clicked' | 'unsubscribed' | 'consent';
  /** A tag, a journey, or the key of a message step, by what is done. */
  what: string;
}

const TAGS = ['in', 'next', 'x', 'y'];
const tags = fc.constantFrom(...TAGS);

/** A lane of a journey: keys are made unique by `number`, and later steps ask about earlier messages. */
function lane(depth: number): fc.Arbitrary<(number: () => number, messages: string[]) => Step[]> {
  type Make = (number: () => number, messages: string[]) => Step;
  const leaf: fc.Arbitrary<Make> = fc.oneof(
    fc.constantFrom('email', 'sms').map((kind) => (number: () => number, messages: string[]): Step => {
      const key = `m${number()}`;
      messages.push(key);
      return kind === 'email' ? mail(key) : text(key);
    }),
    fc.constantFrom('PT90M', 'PT6H', 'P1D', 'P2D', 'P1W').map(
      (length) =>
        (number: () => number): Step =>
          wait(`w${number()}`, length)
    ),
    fc.tuple(tags, fc.boolean()).map(([tag, on]) => (number: () => number): Step => ({
      key: `t${number()}`,
      kind: 'tag',
      ...(on ? { add: [tag] } : { remove: [tag] })
    })),
    fc
      .constantFrom<Step>(
        { key: '', kind: 'wait', until: { time: '17:00' } },
        { key: '', kind: 'wait', until: { weekdays: ['tue', 'fri'], time: '08:00', zone: 'person' } },
        { key: '', kind: 'wait', for: 'PT1H', hours: { from: '10:00', to: '12:00' } },
        { key: '', kind: 'list', add: ['letter'] },
        { key: '', kind: 'list', move: { from: 'letter', to: 'paper' } },
        { key: '', kind: 'field', set: { stage: 'warm', visits: { add: 1 } } },
        { key: '', kind: 'field', set: { stage: { clear: true } } },
        { key: '', kind: 'score', score: 'interest', set: 4 },
        { key: '', kind: 'tag', add: ['y'], clearOthers: true },
        { key: '', kind: 'withdraw', from: 'others' },
        { key: '', kind: 'leave', reason: 'enough' }
      )
      .map((step) => (number: () => number): Step => ({ ...step, key: `o${number()}` })),
    fc.nat(5).map((n) => (number: () => number, messages: string[]): Step => ({
      key: `g${number()}`,
      kind: 'loop',
      to: messages[n % messages.length] ?? 'm0',
      atMost: 2
    })),
    fc.integer({ min: -3, max: 9 }).map((add) => (number: () => number): Step => ({
      key: `p${number()}`,
      kind: 'score',
      score: 'interest',
      add
    }))
  );
  const asked = fc.tuple(fc.constantFrom('opened', 'clicked', 'sent'), fc.nat(5), tags, fc.boolean());
  const step: fc.Arbitrary<Make> =
    depth === 0
      ? leaf
      : fc.oneof(
          { weight: 4, arbitrary: leaf },
          {
            weight: 1,
            arbitrary: fc
              .tuple(asked, lane(depth - 1), lane(depth - 1))
              .map(([[did, n, tag, about], yes, no]) => (number: () => number, messages: string[]): Step => {
                const of = messages.length && about ? messages[n % messages.length] : undefined;
                const when: Condition = of === undefined ? { tag } : { did: did as 'opened', of };
                return branch(`b${number()}`, 'yes', when, yes(number, [...messages]), no(number, [...messages]));
              })
          },
          {
            weight: 1,
            arbitrary: fc
              .tuple(asked, lane(depth - 1), lane(depth - 1))
              .map(([[did, n, tag, about], yes, no]) => (number: () => number, messages: string[]): Step => {
                const of = messages.length && about ? messages[n % messages.length] : undefined;
                const tagged: HappeningOrCondition = n % 2 ? { happening: 'tag_added', tag } : { tag };
                const when: HappeningOrCondition = of === undefined ? tagged : { happening: did as 'opened', of };
                return {
                  key: `l${number()}`,
                  kind: 'listen',
                  for: [{ label: 'heard', when, lane: yes(number, [...messages]) }],
                  limit: 'P2D',
                  otherwise: { label: 'not', lane: no(number, [...messages]) }
                };
              })
          },
          {
            weight: 1,
            arbitrary: fc
              .tuple(fc.nat(2), lane(depth - 1), lane(depth - 1), lane(depth - 1))
              .map(([by, a, b, c]) => (number: () => number, messages: string[]): Step => {
                const inside = (make: (number: () => number, messages: string[]) => Step[]): Step[] =>
                  make(number, [...messages]);
                const key = `c${number()}`;
                if (by === 0)
                  return {
                    key,
                    kind: 'split',
                    lanes: [
                      { label: 'one', weight: 1, lane: inside(a) },
                      { label: 'two', weight: 2, lane: inside(b) }
                    ]
                  };
                if (by === 1)
                  return {
                    key,
                    kind: 'branch',
                    by: 'bands',
                    of: { score: 'interest' },
                    cuts: [3, 8],
                    lanes: [
                      { label: 'little', lane: inside(a) },
                      { label: 'some', lane: inside(b) },
                      { label: 'much', lane: inside(c) }
                    ]
                  };
                return {
                  key,
                  kind: 'branch',
                  by: 'values',
                  of: { field: 'stage' },
                  lanes: [{ label: 'warm', values: ['warm'], lane: inside(a) }],
                  otherwise: { label: 'else', lane: inside(b) }
                };
              })
          }
        );
  return fc.array(step, { maxLength: 5 }).map(
    (steps) =>
      (number: () => number, messages: string[]): Step[] =>
        steps.map((s): Step => s(number, messages))
  );
}

function one(key: string, startTag: string): fc.Arbitrary<Journey> {
  return fc
    .record({
      steps: lane(2),
      hours: fc.boolean(),
      goal: fc.option(tags, { nil: undefined }),
      leaves: fc.option(tags, { nil: undefined }),
      within: fc.constantFrom(undefined, 'P3D'),
      stays: fc.boolean()
    })
    .map(({ steps, hours, goal, leaves, within, stays }) => {
      let n = 0;
      return journey([mail('m0'), ...steps(() => ++n, ['m0'])], {
        key,
        entry: { on: [{ happening: 'tag_added', tag: startTag }] },
        ...(hours ? { hours: { days: ['mon', 'tue', 'thu'], from: '09:30', to: '17:00' } } : {}),
        ...(goal
          ? { goal: { when: { tag: goal }, ...(within ? { within } : {}), ...(stays ? { leave: false } : {}) } }
          : {}),
        ...(leaves ? { leaveWhen: [{ when: { tag: leaves }, reason: 'asked' }] } : {})
      });
    });
}

/** Two journeys that can set each other off by their tags. */
export const journeys: fc.Arbitrary<[Journey, Journey]> = fc.tuple(one('one', 'in'), one('two', 'next'));

/** Up to `n` people of different zones and consents; ids are 1, 2, …, as the database gives them. */
export const people = (n: number): fc.Arbitrary<PersonState[]> =>
  fc
    .array(
      fc.record({
        zone: fc.constantFrom('', 'America/New_York', 'Pacific/Apia', 'Asia/Kathmandu'),
        sms: fc.constantFrom('given', 'withdrawn', undefined),
        email: fc.constantFrom('given', 'given', 'pending')
      }),
      { minLength: 2, maxLength: n }
    )
    .map((list) =>
      list.map((p, i) =>
        reachable(String(i + 1), (person) => {
          person.fields.set('phone', `+4477009001${String(i).padStart(2, '0')}`);
          if (p.zone) person.fields.set('zone', p.zone);
          person.consent = { email: p.email as 'given', ...(p.sms ? { sms: p.sms as 'given' } : {}) };
        })
      )
    );

/** The first two people get the tag that begins journey `one`, so that no run is empty. */
const begin: Act[] = [0, 1].map((person) => ({ after: person * 3_600_000, person, do: 'tag', what: 'in' }));

/**
 * What happens, at most `most` acts after the two that begin a journey, each at an instant of its own,
 * so that nothing hangs on the order within one.
 */
export const acts = (most: number): fc.Arbitrary<Act[]> =>
  fc
    .array(
      fc.record({
        after: fc.integer({ min: 0, max: 12 * 24 }).map((hours) => hours * 3_600_000),
        person: fc.nat(20),
        do: fc.constantFrom<Act['do']>('tag', 'tag', 'untag', 'enter', 'opened', 'clicked', 'unsubscribed', 'consent'),
        n: fc.nat(12)
      }),
      { maxLength: most }
    )
    .map((list) =>
      list
        .map(({ n, ...act }, i): Act => {
          const what =
            act.do === 'tag' || act.do === 'untag'
              ? (TAGS[n % TAGS.length] ?? '')
              : act.do === 'enter'
                ? ['one', 'two'][n % 2]!
                : act.do === 'consent'
                  ? ['given', 'withdrawn'][n % 2]!
                  : `m${n % 4}`;
          return { ...act, after: act.after + 1 + i, what };
        })
        .concat(begin)
        .sort((a, b) => a.after - b.after)
    );

/** Long enough for everything above to come to its end. */
export const LONG = 90 * DAYS;
