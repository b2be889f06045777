/** What people wrote to us lately, and what came from nobody we know. */
import { plural } from '../../../core/tell/words.ts';
import { DAY } from '../../../core/time/duration.ts';
import { nameSql } from '../../db/person-name.ts';
import { ts, type Db } from '../../db/pool.ts';
import type { Need } from './need.ts';

export async function replyNeeds(db: Db, now: number): Promise<Need[]> {
  const { rows } = await db.query<{ person: number; name: string; text: string; at: number; total: number }>(
    `select p.id as person, ${nameSql('p', 'p.phone')} as name,
         h.data ->> 'text' as text, h.at, count(*) over () as total
       from happenings h join people p on p.id = h.person_id
       where h.name = 'replied' and h.at > $1 order by h.at desc limit 1`,
    [ts(now - 3 * DAY)]
  );
  return rows.map((reply) => ({
    kind: 'reply',
    title: `${plural(reply.total, 'reply', 'replies')} in the last three days`,
    detail: `“${reply.text}” · ${reply.name}${reply.total > 1 ? `, and ${reply.total - 1} more` : ''}`,
    href: '/replies',
    act: 'Read'
  }));
}

export async function strayNeeds(db: Db, now: number): Promise<Need[]> {
  const week = ts(now - 7 * DAY);
  const texts = await db.query<{ sender: string; body: string; total: number }>(
    `select sender, body, count(*) over () as total from stray_texts where at > $1 order by id desc limit 1`,
    [week]
  );
  const mails = await db.query<{ sender: string; subject: string; why: string; total: number }>(
    `select sender, subject, why, count(*) over () as total from stray_mails where at > $1 order by id desc limit 1`,
    [week]
  );
  return [
    ...texts.rows.map((stray): Need => ({
      kind: 'stray',
      title: `${plural(stray.total, 'text', 'texts')} from numbers nobody here has`,
      detail: `“${stray.body}” · ${stray.sender}`,
      href: '/replies',
      act: 'Read'
    })),
    ...mails.rows.map((stray): Need => ({
      kind: 'stray',
      title: `${plural(stray.total, 'mail', 'mails')} about nothing of ours`,
      detail: `“${stray.subject || 'no subject'}” · ${stray.sender || 'nobody'} · ${stray.why}`,
      href: '/replies',
      act: 'Read'
    }))
  ];
}
