/** Figures held against a count over everything. */
import { expect } from 'vitest';
import { DONE_LINES } from '../../core/steps/index.ts';
import type { Pool } from '../../server/db/pool.ts';

/** The figures that were counted as things happened are those that a count over everything gives. */
export async function expectFiguresTrue(pool: Pool): Promise<void> {
  const counted = await pool.query(`
    select journey_id, version, step, what, lane, sum(n) as n from counters
    where day = '0001-01-01' group by 1, 2, 3, 4, 5 having sum(n) <> 0 order by 1, 2, 3, 4, 5`);
  const recounted = await pool.query(`
    select journey_id, version, case what when 'left' then '' else coalesce(step, '') end as step, what,
      case what when 'took' then detail ->> 'lane' when 'skipped' then coalesce(detail ->> 'reason', '')
        when 'left' then concat_ws(' ', detail ->> 'as', detail ->> 'reason') else '' end as lane, count(*) as n
    from trail where what in ('entered', 'took', 'skipped', 'left', ${[...DONE_LINES].map((what) => `'${what}'`).join(', ')}) group by 1, 2, 3, 4, 5
    union all
    select m.journey_id, m.version, m.step, h.name, '', count(distinct m.id)
    from happenings h join messages m on m.person_id = h.person_id and m.id = h.message_id
    where h.name in ('opened', 'clicked', 'replied') and h.handled_at is not null group by 1, 2, 3, 4
    union all
    select journey_id, version, '', 'walking', '', count(*) from walks where state = 'walking' group by 1, 2
    union all
    select journey_id, version, step, 'standing', '', count(*) from walks where state = 'walking' and standing is not null
    group by 1, 2, 3
    union all
    select journey_id, version, step, 'held', '', count(*) from walks where state = 'walking' and standing = 'held'
    group by 1, 2, 3
    union all
    select journey_id, version, '', 'goal', '', count(*) from walks where goal_reached group by 1, 2
    order by 1, 2, 3, 4, 5`);
  expect(counted.rows).toEqual(recounted.rows);
  const flow = await pool.query(
    `select what, sum(n) as n from flow where what not like 'gone-%' group by 1 having sum(n) <> 0 order by 1`
  );
  const again = await pool.query(`
    select name as what, count(*) as n from happenings
    where handled_at is not null and (source = 'engine' and name in ('entered', 'goal_reached')
      or source <> 'engine' and name in ('opened', 'clicked', 'replied', 'unsubscribed', 'bounced', 'purchased')) group by 1
    union all
    select channel, count(*) from messages group by 1
    union all
    select 'walkers', count(distinct person_id) from walks where state = 'walking' having count(*) > 0
    order by 1`);
  expect(flow.rows).toEqual(again.rows);
}

/** Who got a label and who lost it: each is a happening of its own. */
export async function expectLabelsTold(pool: Pool): Promise<void> {
  const labels = await pool.query(
    `select kind, name, sum(came) as came, sum(went) as went from label_days group by 1, 2 order by 1, 2`
  );
  const relabelled = await pool.query(`
    select split_part(name, '_', 1) as kind, coalesce(data ->> 'tag', data ->> 'list', data ->> 'segment') as name,
      count(*) filter (where name like '%_added' or name like '%_joined') as came,
      count(*) filter (where name like '%_removed' or name like '%_left') as went
    from happenings where name ~ '^(tag|list|segment)_(added|removed|joined|left)$' group by 1, 2 order by 1, 2`);
  expect(labels.rows).toEqual(relabelled.rows);
}

/** Of those who got a label and have not lost it, there are as many as have it; labels that were there from the first aside. */
export async function expectLabelsAddUp(pool: Pool): Promise<void> {
  const counted = await pool.query(
    `select kind, name, sum(came - went) as n from label_days group by 1, 2 having sum(came - went) <> 0 order by 1, 2`
  );
  const there = await pool.query(`
    select 'list' as kind, list as name, count(*) as n from person_lists group by 1, 2
    union all select 'segment', segment, count(*) from person_segments group by 1, 2
    union all select 'tag', tag, count(*) from person_tags group by 1, 2 order by 1, 2`);
  expect(counted.rows).toEqual(there.rows);
}
