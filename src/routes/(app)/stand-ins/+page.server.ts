import { listMail, listPhones, StandInAway } from '$server/standins/client.ts';
import type { PageServerLoad } from './$types';

async function orAway<T>(asked: Promise<T>): Promise<T | { away: string }> {
  try {
    return await asked;
  } catch (error) {
    if (error instanceof StandInAway) return { away: error.message };
    throw error;
  }
}

export const load: PageServerLoad = async ({ depends }) => {
  depends('live:post', 'live:people');
  const [postbox, handset] = await Promise.all([
    orAway(listMail('', 1).then((m) => ({ total: m.total }))),
    orAway(listPhones().then((p) => ({ phones: p.length, texts: p.reduce((n, x) => n + x.count, 0) })))
  ]);
  return { postbox, handset, crumbs: [{ name: 'Stand-ins' }] };
};
