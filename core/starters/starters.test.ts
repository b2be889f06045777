/** Every starter passes all checks with its usual answers, and does to a person what is written here. */
import { describe, expect, it } from 'vitest';
import {
  DAYS,
  did,
  happens,
  HOUR,
  MONDAY,
  reachable,
  run,
  sets,
  settings,
  story,
  tagged,
  type Said
} from '../../tests/make.ts';
import { findingsOf } from '../check/index.ts';
import { checkJourney } from '../journey/parse.ts';
import { eachStep } from '../journey/walk-document.ts';
import type { PersonState } from '../person/state.ts';
import { STARTERS, startFrom } from './index.ts';

const day = (n: number): string => new Date(MONDAY + n * DAYS).toISOString().slice(0, 10);
const has =
  (field: string, value: string) =>
  (p: PersonState): void =>
    void p.fields.set(field, value);
const LADDER = settings({
  scores: [{ name: 'interest', rules: [{ when: { happening: 'page_seen' }, add: 60 }] }],
  ladders: [
    {
      name: 'reading',
      counts: [{ happening: 'form_sent' }],
      rungs: [
        { name: 'awake', upTo: 'P10D' },
        { name: 'quiet', upTo: 'P20D' }
      ],
      after: 'asleep'
    }
  ]
});
const seen = (after: number): Said => happens('form_sent', after, { form: 'x' });
const page = (after: number): Said => happens('page_seen', after, { url: 'https://quillmoor.example/' });
const bought = (after: number): Said => happens('purchased', after, { order: 'o1', total: 20, items: [] });

type Course = [said: Said[], change: ((p: PersonState) => void) | null, expected: string[], days?: number];
const COURSES: Record<string, Course> = {
  'welcome-after-sign-up': [
    [tagged('signed-up'), did('clicked', 'second', 3 * DAYS)],
    null,
    ['+0 entered', '+0 sent first', '+0 waiting settle', '+2d sent second', '+2d waiting again', '+3d left goal']
  ],
  'confirm-the-address': [
    [happens('form_sent', 0, { form: 'newsletter' })],
    (p) => void (p.consent.email = 'pending'),
    [
      '+0 entered',
      '+0 consent ask',
      '+0 waiting answer',
      '+7d took answer not in a week',
      '+7d left gone not confirmed'
    ]
  ],
  'first-purchase': [
    [bought(0)],
    null,
    [
      '+0 entered',
      '+0 sent thanks',
      '+0 waiting use',
      '+10d sent help',
      '+10d waiting later',
      '+24d sent more',
      '+24d left finished'
    ]
  ],
  'nurture-to-one-action': [
    [tagged('interested')],
    null,
    [
      '+0 entered',
      '+0 sent ask',
      '+0 waiting hear',
      '+3d took hear no word',
      '+3d looped remind',
      '+3d sent ask',
      '+3d waiting hear',
      '+6d took hear no word',
      '+6d looped remind',
      '+6d sent ask',
      '+6d waiting hear',
      '+9d took hear no word',
      '+9d left finished'
    ]
  ],
  'thanks-after-a-visit': [
    [],
    has('visit_date', day(2)),
    ['+73h entered', '+73h sent thanks', '+73h waiting pause', '+145h sent review', '+145h left finished']
  ],
  'renewal-with-date': [
    [sets(35 * DAYS, { fields: { membership_until: day(400) } })],
    has('membership_until', day(40)),
    [
      '+241h entered',
      '+241h sent month',
      '+241h waiting week-before',
      '+793h sent week',
      '+793h waiting day-before',
      '+35d left goal'
    ]
  ],
  birthday: [
    [],
    has('birthday', `1990-${day(5).slice(5)}`),
    ['+5d entered', '+5d sent day', '+5d waiting days', '+15d sent left', '+15d left finished']
  ],
  'event-with-replies': [
    [tagged('booked'), did('replied', 'coming', 8 * DAYS + 3 * HOUR, { text: 'Yep!' })],
    has('event_date', day(10)),
    [
      '+0 entered',
      '+0 sent booked',
      '+0 waiting two-days',
      '+193h sent coming',
      '+193h waiting answer',
      '+195h took answer yes',
      '+195h tagged sure',
      '+195h waiting the-day',
      '+241h sent today',
      '+241h left finished'
    ]
  ],
  'card-runs-out': [
    [],
    has('card_until', day(20)),
    [
      '+145h entered',
      '+145h sent soon',
      '+145h waiting three',
      '+409h sent now',
      '+409h waiting after',
      '+505h tasked call',
      '+505h left finished'
    ]
  ],
  'left-cart': [
    [happens('cart_left', 0, { cart: 'c1', items: [] }), bought(10 * HOUR)],
    null,
    ['+0 entered', '+0 waiting hours', '+4h sent still', '+4h waiting day', '+10h left goal']
  ],
  'win-back': [
    [seen(0), did('clicked', 'miss', 11 * DAYS)],
    null,
    [
      '+10d entered',
      '+10d sent miss',
      '+10d waiting look',
      '+11d took look looked',
      '+11d sent offer',
      '+11d left finished'
    ]
  ],
  survey: [
    [tagged('to-ask'), happens('form_sent', 2 * DAYS, { form: 'survey' })],
    null,
    [
      '+0 entered',
      '+0 sent ask',
      '+0 waiting sent',
      '+2d reached',
      '+2d took sent answered',
      '+2d sent thanks',
      '+2d left done answered'
    ]
  ],
  'hand-to-a-colleague': [
    [page(0)],
    null,
    [
      '+0 entered',
      '+0 tasked ring',
      '+0 waiting ring',
      '+3d took done nobody rang',
      '+3d notified tell',
      '+3d left finished'
    ]
  ],
  'score-driven-offer': [
    [page(0), did('clicked', 'offer', DAYS)],
    null,
    [
      '+0 entered',
      '+0 sent offer',
      '+0 waiting think',
      '+4d took seen looked at it',
      '+4d sent doubt',
      '+4d left finished'
    ]
  ],
  'engagement-clean-up': [
    [seen(0)],
    null,
    [
      '+20d entered',
      '+20d sent stay',
      '+20d waiting said',
      '+34d took said silent',
      '+34d sent bye',
      '+34d waiting grace',
      '+37d consent quiet',
      '+37d left finished'
    ]
  ],
  'after-a-refund': [
    [bought(0), happens('refunded', 1 * DAYS, { order: 'o1', total: 20 })],
    null,
    [
      '+1d entered',
      '+1d withdrew stop',
      '+1d waiting money',
      '+4d sent why',
      '+4d waiting week',
      '+11d sent sorry',
      '+11d left finished'
    ]
  ]
};

describe('every starter', () => {
  it('there are sixteen, each with a course that is written down', () => {
    expect(STARTERS.length).toBeGreaterThanOrEqual(16);
    expect(Object.keys(COURSES).sort()).toEqual(STARTERS.map((s) => s.key).sort());
  });

  it.each(STARTERS.map((s) => [s.key, s] as const))(
    '%s: is whole, passes all checks, and says why each step is there',
    (_, starter) => {
      const journey = startFrom(starter);
      expect(checkJourney(JSON.parse(JSON.stringify(journey))).problems).toEqual([]);
      expect(findingsOf(journey)).toEqual([]);
      expect(JSON.stringify(journey)).not.toContain('«');
      for (const { step } of eachStep(journey)) expect(step.note, step.key).toMatch(/\w/);
      // Every answer is asked for because it is used.
      for (const { id } of starter.questions) expect(JSON.stringify(starter.journey)).toContain(`«${id}»`);
    }
  );

  it.each(STARTERS.map((s) => [s.key, s] as const))('%s: does what is written', (key, starter) => {
    const [said, change, expected, days = 60] = COURSES[key]!;
    expect(story(run(startFrom(starter), said, reachable('p1', change ?? undefined), days, LADDER), key)).toEqual(
      expected
    );
  });
});

it('answers take the place of what is usual, and an empty one does not', () => {
  const [welcome] = STARTERS;
  const journey = startFrom(welcome!, { tag: 'new-here', link: ' ' });
  expect(journey.entry?.on).toEqual([{ happening: 'tag_added', tag: 'new-here' }]);
  expect(JSON.stringify(journey)).toContain('https://quillmoor.example/start');
});
