/** Where somebody stands in each journey, and what comes next there. */
import { kindOf } from '../../core/steps/index.ts';
import type { Db } from '../db/pool.ts';
import { plansOf } from '../engine/plans.ts';

export interface Coming {
  /** The step they stand on, and the one behind it, by what their cards say; `null`: the end. */
  here: string;
  next: string | null;
}

/** By number of the walk, of walks under way. Behind a step that opens lanes it is not said which they will take. */
export async function comingFor(db: Db, person: number): Promise<Record<number, Coming>> {
  const plans = plansOf(db);
  const { rows } = await db.query<{ id: number; journey_id: number; version: number; at_step: number }>(
    `select id, journey_id, version, at_step from walks where person_id = $1 and state = 'walking' order by id`,
    [person]
  );
  await plans.ensure(db, rows);
  return Object.fromEntries(
    rows.flatMap((r): [number, Coming][] => {
      const plan = plans.found(r.journey_id, r.version);
      const here = plan?.instructions[r.at_step];
      if (!plan || !here) return [];
      const title = (index: number): string | null => {
        const step = plan.instructions[index]?.step;
        return step ? kindOf(step).card(step).title : null;
      };
      const lanes = here.lanes.length > 1 ? `one of ${here.labels.join(', ')}` : title(here.next);
      return [[r.id, { here: title(r.at_step) ?? '', next: lanes }]];
    })
  );
}
