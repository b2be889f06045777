/** Starters for people who are new: welcome, confirming an address, a first purchase, one action. */
import { email, leave, starter, tag, waitFor } from './starter.ts';

export const WELCOME = [
  starter(
    'welcome-after-sign-up',
    'Welcome after sign-up',
    'Make those who signed up feel expected, and lead them to a first step',
    'Three mails in a week while they remember who you are; whoever takes the step hears no more of it.',
    [
      ['tag', 'Which tag do those get who sign up?', 'tag', 'signed-up'],
      ['link', 'Which page is the first step?', 'link', 'https://quillmoor.example/start']
    ],
    {
      entry: { on: [{ happening: 'tag_added', tag: '«tag»' }], where: { consent: 'email' } },
      goal: { when: { happening: 'clicked', of: 'second' }, within: 'P30D' }
    },
    [
      email(
        'first',
        'Welcome',
        'Know what comes',
        'Good to have you',
        'you will hear from us three times this week, and then only when there is news.\n\nBegin whenever you like: «link»',
        'At once, while they still have the page open.'
      ),
      waitFor('settle', 'P2D', 'Long enough not to press, short enough not to be forgotten.'),
      email(
        'second',
        'A first step',
        'Take the first step',
        'A first step, if you like',
        'most people begin here: «link»',
        'One thing to do, and only one: its link is the goal.'
      ),
      waitFor('again', 'P4D', 'A week after the sign-up lies behind it.'),
      email(
        'third',
        'Where to ask',
        'Know where to ask',
        'If something is unclear',
        'the page with all that others have asked is here: «link»',
        'For those who want to and do not know how.'
      )
    ]
  ),
  starter(
    'confirm-the-address',
    'Confirm the address',
    'Have a consent that can be proved before anything else is sent',
    'The consent step sends the question itself; nothing else goes out until it is answered.',
    [
      ['form', 'Which form do they send?', 'form', 'newsletter'],
      ['tag', 'Which tag do those get who confirm?', 'tag', 'confirmed']
    ],
    {
      entry: { on: [{ happening: 'form_sent', form: '«form»' }], again: 'again' },
      leaveWhen: [{ when: { happening: 'unsubscribed' }, reason: 'unsubscribed' }]
    },
    [
      { key: 'ask', kind: 'consent', channel: 'email', state: 'pending', note: 'Sends the mail with the button.' },
      {
        key: 'answer',
        kind: 'listen',
        limit: 'P7D',
        note: 'A week: whoever has not confirmed by then will not.',
        for: [
          {
            label: 'confirmed',
            when: { happening: 'consent_changed', channel: 'email', to: 'given' },
            lane: [
              tag('mark', '«tag»', 'What other journeys start from.'),
              email(
                'thanks',
                'You are in',
                'Know that it worked',
                'That is it',
                'your address is confirmed. The next letter is yours.',
                'Otherwise they wonder whether it worked.'
              )
            ]
          }
        ],
        otherwise: {
          label: 'not in a week',
          lane: [leave('gone', 'not confirmed', 'No consent, so nothing more is sent.')]
        }
      }
    ]
  ),
  starter(
    'first-purchase',
    'After the first purchase',
    'Turn somebody who bought once into somebody who comes back',
    'Thanks first, help second, and something to buy only when they have had time with what they have.',
    [['link', 'Which page shows what goes with it?', 'link', 'https://quillmoor.example/shop']],
    {
      entry: { on: [{ happening: 'purchased' }] },
      goal: { when: { happening: 'purchased' }, within: 'P60D' }
    },
    [
      email(
        'thanks',
        'Thank you',
        'Feel they chose well',
        'Thank you for your order',
        'it is on its way. What others took with it is here: «link»',
        'A receipt comes from the shop; this comes from you.'
      ),
      waitFor('use', 'P10D', 'It has arrived, and been used once.'),
      email(
        'help',
        'Getting the most of it',
        'Use what they bought',
        'A few things that help',
        'three things people find out late: «link»',
        'Help before the next offer.'
      ),
      waitFor('later', 'P14D', 'Not before they could want more.'),
      email(
        'more',
        'What goes with it',
        'Look at what goes with it',
        'What others took with it',
        'here is what goes with what you have: «link»',
        'The first mail that sells.'
      )
    ]
  ),
  starter(
    'nurture-to-one-action',
    'Nurture to one action',
    'Bring people to one thing, by reminding those who do not act',
    'It listens for days rather than asking at once, and reminds at most twice.',
    [
      ['tag', 'Which tag starts it?', 'tag', 'interested'],
      ['link', 'Which page is the action?', 'link', 'https://quillmoor.example/seats']
    ],
    {
      entry: { on: [{ happening: 'tag_added', tag: '«tag»' }], where: { consent: 'email' } },
      goal: { when: { happening: 'clicked', of: 'ask', link: '«link»' }, leave: true },
      leaveWhen: [{ when: { happening: 'unsubscribed' }, reason: 'unsubscribed' }]
    },
    [
      email(
        'ask',
        'The one thing',
        'Follow the link',
        'One thing, and it takes a minute',
        'here it is: «link»',
        'One mail, one link.'
      ),
      {
        key: 'hear',
        kind: 'listen',
        limit: 'P3D',
        note: 'Three days: most who act at all act in the first.',
        for: [
          {
            label: 'answered',
            when: { happening: 'replied', of: 'ask' },
            lane: [
              {
                key: 'talk',
                kind: 'task',
                title: 'Answer them',
                what: 'other',
                to: 'owner',
                due: 'P1D',
                await: { limit: 'P5D' },
                note: 'Nobody who asked something gets a reminder before an answer.'
              },
              leave('talked', 'answered', 'A person has taken over.')
            ]
          }
        ],
        otherwise: { label: 'no word', lane: [] }
      },
      { key: 'remind', kind: 'loop', to: 'ask', atMost: 2, note: 'Twice more, then never again.' }
    ]
  )
];
