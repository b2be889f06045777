import { error, fail } from '@sveltejs/kit';
import { followLink, readMail, StandInAway } from '$server/standins/client.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params }) => {
  try {
    return { opened: await readMail(Number(params.id)) };
  } catch (problem) {
    if (problem instanceof StandInAway) error(404, problem.message);
    throw problem;
  }
};

export const actions: Actions = {
  follow: async ({ request }) => {
    const url = String((await request.formData()).get('url') ?? '');
    try {
      const { status, location } = await followLink(url);
      return location ? { followed: location } : fail(502, { problem: `The link answered ${status} and led nowhere.` });
    } catch (problem) {
      if (problem instanceof StandInAway) return fail(502, { problem: problem.message });
      throw problem;
    }
  }
};
