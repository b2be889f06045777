/** What the form of a happening asks, and what it makes of it. Pure: a happening gives a happening. */
import type { HappeningFilter } from '$core/condition/happening.ts';
import type { Nameable } from './panels/panel.ts';

/** Happenings the form can ask for, with their words. */
export const HEARD = [
  ['clicked', 'they follow a link of'],
  ['opened', 'they open'],
  ['replied', 'they answer'],
  ['unsubscribed', 'they unsubscribe from'],
  ['purchased', 'they buy'],
  ['form_sent', 'they send the form'],
  ['page_seen', 'they see the page'],
  ['tag_added', 'they get the tag'],
  ['task_done', 'a task is done for them']
] as const;
export type Heard = (typeof HEARD)[number][0];

/** What each is about. */
export const ABOUT: Record<Heard, 'message' | 'task' | 'tag' | 'product' | 'form' | 'url'> = {
  clicked: 'message',
  opened: 'message',
  replied: 'message',
  unsubscribed: 'message',
  purchased: 'product',
  form_sent: 'form',
  page_seen: 'url',
  tag_added: 'tag',
  task_done: 'task'
};

/** Another happening in the place of one: about the same message or task, where it can be; else about the nearest. */
export function asking(name: Heard, before: HappeningFilter, known: Nameable): HappeningFilter {
  const about = ABOUT[name];
  const steps = about === 'message' ? known.messages : about === 'task' ? known.tasks : [];
  const of = steps.some((s) => s.key === before.of) ? before.of : steps.at(-1)?.key;
  if (about === 'tag') return { happening: name, tag: '' };
  return { happening: name, ...(of === undefined ? {} : { of }) };
}
