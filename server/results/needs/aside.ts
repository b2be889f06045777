/** People whose work failed and who wait alone. */
import { plural } from '../../../core/tell/words.ts';
import type { Db } from '../../db/pool.ts';
import { whoIsAside } from '../../engine/set-aside.ts';
import type { Need } from './need.ts';

export async function asideNeeds(db: Db): Promise<Need[]> {
  return (await whoIsAside(db)).map((r) => ({
    kind: 'aside',
    title: `${plural(r.people, 'person is', 'people are')} set aside`,
    detail: `Work on ${r.name}${r.people > 1 ? ` and ${r.people - 1} more` : ''} failed: ${r.error} · ${plural(r.attempts, 'try', 'tries')} so far; all others go on`,
    href: '/set-aside',
    act: 'Show',
    action: { name: 'aside', value: '', label: 'Try again' }
  }));
}
