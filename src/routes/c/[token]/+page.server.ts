import { error } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { asking, confirm } from '$server/intake/confirm.ts';
import { senderName } from '$server/intake/intake.ts';
import type { Actions, PageServerLoad } from './$types';

const NOT_OURS = 'This address is not complete, or not one of ours.';

/** Only shows a page: scanners fetch links, and must not give anyone's consent by it. */
export const load: PageServerLoad = async ({ params }) => {
  const asked = await asking(db(), params.token);
  if (!asked) error(404, NOT_OURS);
  const { channel, address, given, withdrawn, moved } = asked;
  return { channel, address, given, withdrawn, moved, sender: await senderName(db()) };
};

export const actions: Actions = {
  default: async ({ params }) => {
    if (!(await confirm(db(), params.token))) error(404, NOT_OURS);
    return { done: true };
  }
};
