import { error } from '@sveltejs/kit';
import { listMail, StandInAway } from '$server/standins/client.ts';
import type { LayoutServerLoad } from './$types';

export const load: LayoutServerLoad = async ({ url, depends }) => {
  depends('live:post', 'live:people');
  const search = (url.searchParams.get('q') ?? '').slice(0, 100);
  try {
    return {
      ...(await listMail(search)),
      search,
      crumbs: [{ name: 'Stand-ins', href: '/stand-ins' }, { name: 'Postbox' }]
    };
  } catch (problem) {
    if (problem instanceof StandInAway) error(502, problem.message);
    throw problem;
  }
};
