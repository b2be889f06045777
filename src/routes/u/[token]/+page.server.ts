import { error } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { senderName, unsubscribed, unsubscribeTarget } from '$server/intake/intake.ts';
import type { Actions, PageServerLoad } from './$types';

/** Only shows a page: scanners fetch links, and must not unsubscribe anyone by it. */
export const load: PageServerLoad = async ({ params }) => {
  const target = await unsubscribeTarget(db(), params.token);
  if (!target) error(404, 'This address is not complete, or not one of ours.');
  return { ...target, sender: await senderName(db()) };
};

export const actions: Actions = {
  /** The page's button, and a mail program's one-click request (RFC 8058), which posts to this very address. */
  default: async ({ params }) => {
    if (!(await unsubscribed(db(), params.token))) error(404, 'This address is not complete, or not one of ours.');
    return { done: true };
  }
};
