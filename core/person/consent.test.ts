/** Withdrawn stays withdrawn: whatever comes in whatever order, only an act of the person's own or of a colleague for them brings it back. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { enters, byHand, happens, reachable, run, sets, type Said } from '../../tests/make.ts';
import type { Step } from '../steps/index.ts';
import { newPerson } from './state.ts';
import type { ActOf } from './world.ts';
import type { ConsentState } from './values.ts';

type Act =
  | { do: 'set'; state: ConsentState | null; by?: ActOf }
  | { do: 'unsubscribed' }
  | { do: 'complained' }
  | { do: 'step'; state: 'pending' | 'withdrawn' };

const act: fc.Arbitrary<Act> = fc.oneof(
  fc
    .tuple(
      fc.constantFrom<ConsentState | null>('given', 'pending', 'withdrawn', null),
      fc.constantFrom<ActOf | undefined>(undefined, undefined, 'person', 'colleague')
    )
    .map(([state, by]): Act => ({ do: 'set', state, ...(by ? { by } : {}) })),
  fc.constantFrom<Act>({ do: 'unsubscribed' }, { do: 'complained' }),
  fc.constantFrom<Act>({ do: 'step', state: 'pending' }, { do: 'step', state: 'withdrawn' })
);

/** Told again, plainly: what is in force after an act. */
function after(before: ConsentState | null, one: Act): ConsentState | null {
  if (one.do === 'unsubscribed' || one.do === 'complained') return 'withdrawn';
  if (one.do === 'step') return one.state === 'withdrawn' ? 'withdrawn' : (before ?? 'pending');
  return before === 'withdrawn' && !one.by ? 'withdrawn' : one.state;
}

const ask = (state: 'pending' | 'withdrawn'): Step[] => [{ key: 'ask', kind: 'consent', channel: 'email', state }];
const journeys = (['pending', 'withdrawn'] as const).map((state) =>
  byHand(state, ask(state), { entry: { again: 'again' } })
);

it('in any order of acts, told by the sending that is or is not skipped behind each', () => {
  const probe = byHand('probe', [{ key: 'm', kind: 'email', subject: 's', text: 't' }], { entry: { again: 'again' } });
  fc.assert(
    fc.property(fc.array(act, { minLength: 1, maxLength: 8 }), fc.constantFrom('given', null), (acts, first) => {
      const person = reachable('p1', (p) => {
        if (first === null) p.consent = newPerson('p1').consent;
      });
      let state = first as ConsentState | null;
      const expected: string[] = [];
      const said = acts.flatMap((one, i): Said[] => {
        const when = i * 10;
        state = after(state, one);
        expected.push(state === 'given' ? 'sent' : 'skipped');
        const told =
          one.do === 'set'
            ? sets(when, { consent: { email: one.state }, ...(one.by ? { by: one.by } : {}) })
            : one.do === 'step'
              ? enters(one.state, when)
              : happens(one.do, when, { channel: 'email' });
        return [told, enters('probe', when + 5)];
      });
      const lines = run([...journeys, probe], said, person);
      expect(lines.flatMap((l) => (l['journey'] === 'probe' && l['step'] === 'm' ? [l['what']] : []))).toEqual(
        expected
      );
    }),
    { numRuns: 300 }
  );
});

it('a proof that is about one address gives nothing for another', () => {
  const probe = byHand('probe', [{ key: 'm', kind: 'sms', text: 't' }]);
  const confirmed = (address: string): unknown =>
    run(
      probe,
      [
        sets(0, { consent: { sms: 'given' }, by: 'person', proof: { source: 'link', wording: null, address } }),
        enters('probe', 5)
      ],
      reachable('p1', (p) => void delete p.consent.sms)
    ).find((l) => l['step'] === 'm')?.['what'];
  expect([confirmed('+447700900001'), confirmed('+447700900002')]).toEqual(['sent', 'skipped']);
});
