/** What the form of a happening asks, and what it makes of it. Pure: a happening gives a happening. */
import type { HappeningFilter, HappeningName } from '$core/condition/happening.ts';
import type { Nameable } from './panels/panel.ts';

/** Happenings the form can ask for, with their words. */
export const HEARD = [
  ['clicked', 'they follow a link of'],
  ['opened', 'they open'],
  ['replied', 'they answer'],
  ['unsubscribed', 'they unsubscribe from'],
  ['bounced', 'it comes back undelivered'],
  ['complained', 'they complain about'],
  ['purchased', 'they buy'],
  ['refunded', 'they get a refund for'],
  ['cart_left', 'they leave a cart with'],
  ['form_sent', 'they send the form'],
  ['page_seen', 'they see the page'],
  ['tag_added', 'they get the tag'],
  ['tag_removed', 'they lose the tag'],
  ['list_joined', 'they join the list'],
  ['list_left', 'they leave the list'],
  ['segment_joined', 'they join the segment'],
  ['segment_left', 'they leave the segment'],
  ['field_changed', 'this field changes'],
  ['consent_changed', 'their consent changes'],
  ['score_reached', 'they reach points of'],
  ['rung_changed', 'they come to the rung'],
  ['task_done', 'a task is done for them'],
  ['entered', 'they enter the journey'],
  ['goal_reached', 'they reach the goal of'],
  ['left', 'they leave the journey'],
  ['custom', 'something of your own happens']
] as const;
export type Heard = (typeof HEARD)[number][0];

/** What each is about. */
export const ABOUT = {
  clicked: 'message',
  opened: 'message',
  replied: 'message',
  unsubscribed: 'message',
  bounced: 'message',
  complained: 'message',
  purchased: 'product',
  refunded: 'product',
  cart_left: 'product',
  form_sent: 'form',
  page_seen: 'url',
  tag_added: 'tag',
  tag_removed: 'tag',
  list_joined: 'list',
  list_left: 'list',
  segment_joined: 'segment',
  segment_left: 'segment',
  field_changed: 'field',
  consent_changed: 'consent',
  score_reached: 'score',
  rung_changed: 'rung',
  task_done: 'task',
  entered: 'journey',
  goal_reached: 'journey',
  left: 'journey',
  custom: 'name'
} as const satisfies Record<Heard, string>;

export const isHeard = (name: HappeningName): name is Heard => HEARD.some(([heard]) => heard === name);

/** Another happening in the place of one: about the same message or task, where it can be; else about the nearest. */
export function asking(wanted: Heard, before: HappeningFilter, known: Nameable): HappeningFilter {
  const about = ABOUT[wanted];
  switch (about) {
    case 'message':
    case 'task': {
      const steps = about === 'message' ? known.messages : known.tasks;
      const of = steps.some((s) => s.key === before.of) ? before.of : steps.at(-1)?.key;
      return { happening: wanted, ...(of === undefined ? {} : { of }) };
    }
    case 'tag':
    case 'list':
    case 'segment':
    case 'field':
      return { happening: wanted, [about]: before[about] ?? '' };
    case 'score':
      return { happening: wanted, score: known.scores[0] ?? 'interest', points: 10 };
    case 'name':
      return { happening: wanted, name: 'something' };
    case 'product':
      return { happening: wanted, ...(before.product === undefined ? {} : { product: before.product }) };
    case 'journey':
      return {
        happening: wanted,
        ...(before.journey === undefined || before.of !== undefined ? {} : { journey: before.journey })
      };
    default:
      return { happening: wanted };
  }
}
