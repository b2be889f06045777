/** Starters that go by a date of the person: renewal, birthday, visit, event, card. */
import { email, leave, sms, starter, tag, waitFor, waitUntil } from './starter.ts';

export const DATES = [
  starter(
    'thanks-after-a-visit',
    'Thanks and review after a visit',
    'Thank people while they remember, and ask for a review when they have told friends',
    'The day after for thanks, three days later for the favour.',
    [
      ['field', 'Which field holds the date of the visit?', 'field', 'visit_date'],
      ['link', 'Where do they write a review?', 'link', 'https://quillmoor.example/review']
    ],
    {
      entry: { date: { field: '«field»', offset: 'P1D', time: '10:00' }, where: { consent: 'email' }, again: 'again' },
      goal: { when: { happening: 'clicked', of: 'review' }, within: 'P30D' }
    },
    [
      email(
        'thanks',
        'Thank you',
        'Remember it well',
        'Thank you for coming',
        'it was good to have you here yesterday.',
        'No favour is asked yet.'
      ),
      waitFor('pause', 'P3D', 'Thanks and a favour in one day cancel each other out.'),
      email(
        'review',
        'How was it?',
        'Write a review',
        'How was it?',
        'two sentences help others to decide: «link»',
        'The link is the goal.'
      )
    ]
  ),
  starter(
    'renewal-with-date',
    'Renewal before a date',
    'Have people renew before it lapses, without asking those who have',
    'Counts from the date itself, so that it is right for everybody; a date moved on ends it.',
    [
      ['field', 'Which field holds the date it runs out?', 'field', 'membership_until'],
      ['link', 'Where do they renew?', 'link', 'https://quillmoor.example/renew']
    ],
    {
      entry: { date: { field: '«field»', offset: '-P30D', time: '10:00' }, again: 'again' },
      goal: { when: { happening: 'field_changed', field: '«field»' } }
    },
    [
      email(
        'month',
        'A month to go',
        'Renew',
        'A month to go',
        'yours runs out in a month. Renewing takes a minute: «link»',
        'Early enough for those who plan.'
      ),
      waitUntil('week-before', '«field»', '-P7D', 'Whoever has it moved meanwhile has left.'),
      email('week', 'A week to go', 'Renew', 'A week to go', 'a week is left: «link»', 'For those who put it off.'),
      waitUntil('day-before', '«field»', '-P1D', 'The last day.'),
      sms(
        'last',
        'Last day',
        'Renew',
        'Your membership runs out tomorrow. Renew in a minute: «link»',
        'A text only on the last day, when it matters.'
      ),
      waitUntil('behind', '«field»', 'P3D', 'A few days of grace.'),
      email(
        'lapsed',
        'It has run out',
        'Come back',
        'We kept your place',
        'it ran out three days ago, and we have kept your place: «link»',
        'Most who come back come back now.'
      )
    ]
  ),
  starter(
    'birthday',
    'Birthday',
    'Be the one who remembered',
    'Once a year, in the morning of their day, and nothing sold.',
    [
      ['field', 'Which field holds the birthday?', 'field', 'birthday'],
      ['link', 'What do they get?', 'link', 'https://quillmoor.example/gift']
    ],
    {
      entry: { date: { field: '«field»', time: '09:00', yearly: true }, where: { consent: 'email' }, again: 'again' },
      goal: { when: { happening: 'clicked', of: 'day' }, within: 'P14D' }
    },
    [
      email(
        'day',
        'Happy birthday',
        'Fetch the gift',
        'Happy birthday',
        'something small waits for you, for two weeks: «link»',
        'In the morning, as friends do.'
      ),
      waitFor('days', 'P10D', 'Four days before it is over.'),
      email(
        'left',
        'It still waits',
        'Fetch the gift',
        'It still waits for you',
        'four days are left: «link»',
        'Only those who have not fetched it are still here.'
      )
    ]
  ),
  starter(
    'event-with-replies',
    'An event, with answers by text',
    'Know who comes, and remind only them',
    'A question by text gets answered; the answer decides what they hear next.',
    [
      ['tag', 'Which tag do those get who booked?', 'tag', 'booked'],
      ['field', 'Which field holds the date of the event?', 'field', 'event_date']
    ],
    {
      entry: { on: [{ happening: 'tag_added', tag: '«tag»' }], again: 'again' },
      goal: { when: { tag: 'attended' } },
      leaveWhen: [{ when: { happening: 'tag_removed', tag: '«tag»' }, reason: 'cancelled' }]
    },
    [
      email(
        'booked',
        'Your place',
        'Put it into the calendar',
        'Your place is kept',
        'we look forward to it. All you need to know stands at the door.',
        'At once: they want to see that it worked.',
        { service: true }
      ),
      waitUntil('two-days', '«field»', '-P2D', 'Two days before: late enough to know.'),
      sms('coming', 'Are you coming?', 'Answer', 'Are you still coming? Answer YES or NO.', 'Short, and two answers.'),
      {
        key: 'answer',
        kind: 'listen',
        limit: 'P1D',
        note: 'A day, so that what is free can be given on.',
        for: [
          {
            label: 'yes',
            when: { happening: 'replied', of: 'coming', matches: ['yes', 'yeah', 'yep', 'i am'] },
            lane: [tag('sure', 'coming', 'For the list at the door.')]
          },
          {
            label: 'no',
            when: { happening: 'replied', of: 'coming', matches: ['no', 'nope', 'cannot', 'sorry'] },
            lane: [
              tag('free', 'not-coming', 'Their place can be given on.'),
              leave('out', 'not coming', 'No reminder for them.')
            ]
          },
          {
            label: 'something else',
            when: { happening: 'replied', of: 'coming' },
            lane: [
              {
                key: 'read',
                kind: 'task',
                title: 'Read their answer',
                what: 'other',
                to: 'owner',
                due: 'PT4H',
                note: 'A person understands what no list of words does.'
              }
            ]
          }
        ],
        otherwise: { label: 'no answer', lane: [] }
      },
      waitUntil('the-day', '«field»', 'P0D', 'In the morning of the day.'),
      sms('today', 'Today', 'Come', 'See you this evening. Doors at 20:00.', 'Only to those who said yes, or nothing.')
    ]
  ),
  starter(
    'card-runs-out',
    'Card about to run out',
    'Have people renew their card before a payment fails',
    'A service message: it goes out without consent, and says nothing else.',
    [
      ['field', 'Which field holds the date the card runs out?', 'field', 'card_until'],
      ['link', 'Where do they change it?', 'link', 'https://quillmoor.example/card']
    ],
    {
      entry: { date: { field: '«field»', offset: '-P14D', time: '10:00' }, again: 'again' },
      goal: { when: { happening: 'field_changed', field: '«field»' } }
    },
    [
      email(
        'soon',
        'Your card',
        'Enter the new card',
        'Your card runs out soon',
        'the card you pay with runs out in two weeks: «link»',
        'Two weeks: the new one has come by then.',
        { service: true }
      ),
      waitUntil('three', '«field»', '-P3D', 'Three days before.'),
      email(
        'now',
        'Three days left',
        'Enter the new card',
        'Three days left',
        'after that the next payment would fail: «link»',
        'Says what will happen.',
        { service: true }
      ),
      waitUntil('after', '«field»', 'P1D', 'It has run out.'),
      {
        key: 'call',
        kind: 'task',
        title: 'Ring them about their card',
        what: 'call',
        to: 'owner',
        due: 'P1D',
        note: 'Cheaper than losing them.'
      }
    ]
  )
];
