/** Messages tried on people of this workspace before they go live: what cannot be filled in for one of them is found now. */
import { nameSql } from '../db/person-name.ts';
import { allFields } from '../engine/all-fields.ts';
import type { Finding } from '../../core/check/finding.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { eachStep } from '../../core/journey/walk-document.ts';
import { isMessage } from '../../core/steps/index.ts';
import type { Db } from '../db/pool.ts';
import { fillAll } from '../mail/fill.ts';

/** The oldest and the newest people: imports of different times know different things. */
const EACH_END = 20;
/** A journey's messages are tried for so long, ms; what is slow shows itself well before. */
const LONGEST_MS = 3000;

/** Messages of a journey that cannot be filled in for someone here, each with the first such person. */
export async function tryMessages(db: Db, document: Journey): Promise<Finding[]> {
  const messages = eachStep(document).flatMap(({ step }) =>
    isMessage(step) && step.message === undefined && step.text?.trim() ? [step] : []
  );
  if (!messages.length) return [];
  const people = await sample(db);
  const until = Date.now() + LONGEST_MS;
  const found: Finding[] = [];
  for (const step of messages) {
    if (Date.now() > until) return found;
    const filled = await fillAll(
      people.map(({ fields }) => ({
        what: 'message',
        step,
        scope: {
          person: fields,
          journey: { name: document.name ?? document.key },
          links: { unsubscribe: 'https://unsubscribe.invalid' }
        }
      }))
    );
    const at = filled.findIndex((f) => f.what === 'error');
    const wrong = filled[at];
    if (wrong?.what === 'error')
      found.push({
        severity: 'blocker',
        check: 'cannot-be-filled-in',
        step: step.key,
        text: `Tried for ${people[at]?.name ?? ''}: ${wrong.error}.`,
        hint: 'Give every personal field a fallback, such as {{ person.first_name | default: "there" }}.'
      });
  }
  return found;
}

async function sample(db: Db): Promise<{ name: string; fields: Record<string, unknown> }[]> {
  const { rows } = await db.query<{ name: string; fields: Record<string, unknown> }>({
    name: 'people-to-try',
    text: `
      select ${nameSql()} as name,
        ${allFields('p')} as fields
      from (
        (select * from people order by id limit ${EACH_END})
        union
        (select * from people order by id desc limit ${EACH_END})
      ) as p
      order by id`
  });
  return rows;
}
