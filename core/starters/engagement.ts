/** Starters that go by what people do: carts, engagement, scores, refunds, surveys, colleagues. */
import { email, leave, sms, starter, tag, waitFor } from './starter.ts';

export const ENGAGEMENT = [
  starter(
    'left-cart',
    'Left cart',
    'Bring back those who meant to buy',
    'Hours, not minutes: most come back by themselves. Whoever buys leaves at once.',
    [['link', 'Where is their cart?', 'link', 'https://quillmoor.example/cart']],
    {
      entry: { on: [{ happening: 'cart_left' }], where: { consent: 'email' }, again: 'again' },
      goal: { when: { happening: 'purchased' }, within: 'P7D' }
    },
    [
      waitFor('hours', 'PT4H', 'Long enough for those who only went to find their card.'),
      email(
        'still',
        'Still there',
        'Finish the order',
        'Still there',
        'what you chose is kept for you: «link»',
        'No discount: most who come back do so without.'
      ),
      waitFor('day', 'P1D', 'Once more, a day later.'),
      email(
        'last',
        'A last word',
        'Finish the order',
        'Can we help?',
        'if something stopped you, this page may help: «link»',
        'Then it is enough.'
      )
    ]
  ),
  starter(
    'win-back',
    'Win back those who went quiet',
    'Reach people when they begin to drift, not when they are gone',
    'Starts from the rung of the engagement ladder, so that nobody has to build lists of the quiet.',
    [
      ['rung', 'Which rung means that they went quiet?', 'rung', 'quiet'],
      ['link', 'What is worth coming back for?', 'link', 'https://quillmoor.example/news']
    ],
    {
      entry: { on: [{ happening: 'rung_changed', to: '«rung»' }], where: { consent: 'email' }, again: 'again' },
      goal: { when: { happening: 'purchased' }, within: 'P60D' }
    },
    [
      email(
        'miss',
        'What you missed',
        'Look at what is new',
        'What you missed',
        'here is what happened since: «link»',
        'News, not a plea.'
      ),
      {
        key: 'look',
        kind: 'listen',
        limit: 'P7D',
        note: 'A week to look at it.',
        for: [
          {
            label: 'looked',
            when: { happening: 'clicked', of: 'miss' },
            lane: [
              email(
                'offer',
                'For coming back',
                'Come back',
                'For coming back',
                'since you looked: «link»',
                'Only those who showed interest get it.'
              )
            ]
          }
        ],
        otherwise: {
          label: 'did not look',
          lane: [
            email(
              'how',
              'How often?',
              'Choose how often',
              'Less often?',
              'choose how often you hear from us: «link»',
              'Less is better than none.'
            )
          ]
        }
      }
    ]
  ),
  starter(
    'survey',
    'Survey',
    'Hear what people think, and thank them for it',
    'One reminder, and only to those who have not answered.',
    [
      ['tag', 'Which tag do those get who are asked?', 'tag', 'to-ask'],
      ['form', 'Which form is the survey?', 'form', 'survey'],
      ['link', 'Where is it?', 'link', 'https://quillmoor.example/survey']
    ],
    {
      entry: { on: [{ happening: 'tag_added', tag: '«tag»' }], where: { consent: 'email' } },
      goal: { when: { happening: 'form_sent', form: '«form»' }, leave: false, within: 'P30D' },
      leaveWhen: [{ when: { happening: 'unsubscribed' }, reason: 'unsubscribed' }]
    },
    [
      email(
        'ask',
        'Three questions',
        'Answer the survey',
        'Three questions',
        'they take two minutes: «link»',
        'Says how long it takes.'
      ),
      {
        key: 'sent',
        kind: 'listen',
        limit: 'P5D',
        note: 'Five days, with a weekend among them.',
        for: [
          {
            label: 'answered',
            when: { happening: 'form_sent', form: '«form»' },
            lane: [
              email(
                'thanks',
                'Thank you',
                'Feel heard',
                'Thank you',
                'we read every word of it.',
                'So that they answer the next one.'
              ),
              leave('done', 'answered', 'No reminder.')
            ]
          }
        ],
        otherwise: {
          label: 'not yet',
          lane: [
            email(
              'again',
              'Once more',
              'Answer the survey',
              'Two minutes, once more',
              'if you have two minutes: «link»',
              'One reminder brings half as many again.'
            )
          ]
        }
      }
    ]
  ),
  starter(
    'hand-to-a-colleague',
    'Hand over to a colleague',
    'Have a person speak to those who are ready for it',
    'A task with a limit: whoever is not spoken to in time is told so, not forgotten.',
    [
      ['score', 'Which score tells that somebody is ready?', 'score', 'interest'],
      ['tag', 'Which tag do those get who were spoken to?', 'tag', 'spoken-to']
    ],
    {
      entry: { on: [{ happening: 'score_reached', score: '«score»', points: 50 }] },
      leaveWhen: [{ when: { tag: '«tag»' }, reason: 'spoken to' }]
    },
    [
      {
        key: 'ring',
        kind: 'task',
        title: 'Ring them: they are ready',
        what: 'call',
        to: 'owner',
        priority: 'high',
        due: 'P1D',
        await: { limit: 'P3D' },
        note: 'Within a day, while they are interested.'
      },
      {
        key: 'done',
        kind: 'branch',
        by: 'rules',
        note: 'Whether somebody did.',
        lanes: [
          {
            label: 'rung',
            when: { did: 'task_done', of: 'ring' },
            lane: [tag('spoken', '«tag»', 'They leave by this.')]
          }
        ],
        otherwise: {
          label: 'nobody rang',
          lane: [
            {
              key: 'tell',
              kind: 'notify',
              to: 'owner',
              text: 'Somebody who is ready was not rung for three days.',
              note: 'So that it is not lost.'
            }
          ]
        }
      }
    ]
  ),
  starter(
    'score-driven-offer',
    'An offer when they are ready',
    'Make an offer to those who are interested, and to nobody else',
    'The score decides when; the goal ends it.',
    [
      ['score', 'Which score tells interest?', 'score', 'interest'],
      ['link', 'Which page is the offer?', 'link', 'https://quillmoor.example/offer']
    ],
    {
      entry: { on: [{ happening: 'score_reached', score: '«score»', points: 30 }], where: { consent: 'email' } },
      goal: { when: { happening: 'purchased' }, within: 'P30D' }
    },
    [
      email(
        'offer',
        'The offer',
        'Take the offer',
        'Made for you',
        'since you looked around: «link»',
        'At the moment they are interested.'
      ),
      waitFor('think', 'P4D', 'Time to think.'),
      {
        key: 'seen',
        kind: 'branch',
        by: 'rules',
        note: 'Asked four days later, not at once.',
        lanes: [
          {
            label: 'looked at it',
            when: { did: 'clicked', of: 'offer' },
            lane: [
              email(
                'doubt',
                'What others ask',
                'Lose the last doubt',
                'What others ask',
                'the answers are here: «link»',
                'For those who nearly did.'
              )
            ]
          }
        ],
        otherwise: {
          label: 'did not',
          lane: [
            email(
              'other',
              'Something else',
              'Look at something else',
              'Perhaps this',
              'perhaps this is more like it: «link»',
              'Not the same once more.'
            )
          ]
        }
      }
    ]
  ),
  starter(
    'engagement-clean-up',
    'Engagement clean-up',
    'Write only to those who read, so that mail arrives',
    'Asks before it takes anybody out, and takes out those who do not answer: mailboxes judge by who reads.',
    [
      ['rung', 'Which rung means that they do not read any more?', 'rung', 'asleep'],
      ['tag', 'Which tag do those get who stay?', 'tag', 'still-reading'],
      ['link', 'Which page says that they stay?', 'link', 'https://quillmoor.example/stay']
    ],
    {
      entry: { on: [{ happening: 'rung_changed', to: '«rung»' }], where: { consent: 'email' }, again: 'again' },
      goal: { when: { happening: 'clicked' }, leave: false, within: 'P30D' },
      leaveWhen: [{ when: { happening: 'unsubscribed' }, reason: 'unsubscribed' }]
    },
    [
      email(
        'stay',
        'Stay?',
        'Say that they stay',
        'Shall we go on?',
        'one click, and you stay: «link»',
        'Clear, and the last but one.'
      ),
      {
        key: 'said',
        kind: 'listen',
        limit: 'P14D',
        note: 'Two weeks.',
        for: [
          {
            label: 'stays',
            when: { happening: 'clicked', of: 'stay' },
            lane: [tag('keep', '«tag»', 'For the next clean-up.'), leave('kept', 'stays', 'They read.')]
          }
        ],
        otherwise: { label: 'silent', lane: [] }
      },
      email(
        'bye',
        'Goodbye',
        'Come back if they like',
        'This was the last one',
        'you hear no more from us, unless you say so: «link»',
        'Says what happens, and leaves the door open.'
      ),
      waitFor('grace', 'P3D', 'Somebody may still come back.'),
      {
        key: 'quiet',
        kind: 'consent',
        channel: 'email',
        state: 'withdrawn',
        note: 'Nothing goes out to them any more, from no journey.'
      }
    ]
  ),
  starter(
    'after-a-refund',
    'After a refund',
    'Part well, and learn why',
    'Nothing is sold for a while: other journeys let go of them.',
    [
      ['form', 'Which form asks why?', 'form', 'why'],
      ['link', 'Where is it?', 'link', 'https://quillmoor.example/why']
    ],
    {
      entry: { on: [{ happening: 'refunded' }], again: 'again' },
      goal: { when: { happening: 'form_sent', form: '«form»' }, within: 'P14D' }
    },
    [
      { key: 'stop', kind: 'withdraw', from: 'others', note: 'An offer now would be an insult.' },
      waitFor('money', 'P3D', 'The money has arrived.'),
      email(
        'why',
        'What was wrong?',
        'Say why',
        'What was not right?',
        'the money is back with you. A word on what was wrong helps the next one: «link»',
        'Asked once.',
        { service: true }
      ),
      waitFor('week', 'P7D', 'Time to answer.'),
      sms(
        'sorry',
        'A last word',
        'Feel heard',
        'We are sorry it did not work out. Your word on why still helps: «link»',
        'Only where they have not answered.'
      )
    ]
  )
];
