/** Many addresses refused at once: our trouble or theirs (docs/decisions/0038-doubt-about-refusals.md). */
import { plural } from '../../../core/tell/words.ts';
import type { Db } from '../../db/pool.ts';
import { doubts } from '../../post/doubts.ts';
import type { Need } from './need.ts';

export async function doubtNeeds(db: Db): Promise<Need[]> {
  return (await doubts(db)).map((d) => ({
    kind: 'doubt',
    title: `${plural(d.refused, 'address', 'addresses')}${d.domain ? ` of ${d.domain}` : ''} refused within an hour: our trouble or theirs?`,
    detail: `${d.answer} · nobody is suppressed meanwhile, ${plural(d.waiting, 'message waits', 'messages wait')}`,
    href: '/people/suppressed',
    act: 'They are gone …',
    action: { name: 'doubt', value: d.domain || 'all', label: 'Try them again' }
  }));
}
