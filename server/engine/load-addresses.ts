/**
 * Addresses that are asked for and cannot be had: somebody else has them by now, or it would leave nobody to write to. The door
 * refuses what it can see; what came true since is left out here, and told on the person's record, so that nobody jams for it.
 */
import type { Input } from '../../core/person/world.ts';
import type { Db } from '../db/pool.ts';

const FIELDS = ['email', 'phone'] as const;
type Field = (typeof FIELDS)[number];

/** What is looked at of a person: what they have now, and what waits for them, in its order. */
interface Waiting {
  id: number;
  has: Record<Field, string | null>;
  inputs: { input: Input; by: string }[];
}

export interface Refusal {
  person: number;
  field: Field;
  to: string | null;
  why: string;
  by: string;
}

/** Takes changes of addresses that cannot be out of what waits; gives what was refused. Inputs are changed in place. */
export async function withoutTaken(db: Db, people: readonly Waiting[]): Promise<Refusal[]> {
  const changing = people.filter((p) => p.inputs.some(({ input }) => input.kind === 'set' && changesAddress(input)));
  if (!changing.length) return [];
  const wanted = changing.flatMap((p) =>
    p.inputs.flatMap(({ input }) =>
      FIELDS.flatMap((which) => {
        const to = input.kind === 'set' ? input.fields?.[which] : undefined;
        return typeof to === 'string' ? [{ person: p.id, which, to: to.toLowerCase() }] : [];
      })
    )
  );
  const { rows } = await db.query<{ field: Field; address: string; person: number }>({
    name: 'taken-addresses',
    text: `
      select 'email' as field, lower(p.email) as address, p.id as person from people p
      where p.email is not null and lower(p.email) = any($1::text[])
      union all select 'phone', p.phone, p.id from people p where p.phone = any($2::text[])
      union all select case channel when 'email' then 'email' else 'phone' end, address, person_id from other_addresses
      where address = any($1::text[] || $2::text[])`,
    values: FIELDS.map((of) => wanted.flatMap(({ which, to }) => (which === of ? [to] : [])))
  });
  const taken = new Map(rows.map((r) => [`${r.field} ${r.address}`, r.person]));
  const refused: Refusal[] = [];
  for (const { id, has, inputs } of changing) {
    const now = { ...has };
    for (const { input, by } of inputs) {
      if (input.kind !== 'set' || !changesAddress(input)) continue;
      const { fields = {} } = input;
      for (const which of FIELDS) {
        if (!Object.hasOwn(fields, which)) continue;
        const to = fields[which] ?? null;
        const other = which === 'email' ? 'phone' : 'email';
        const stays = Object.hasOwn(fields, other) ? fields[other] : now[other];
        const holder = typeof to === 'string' ? taken.get(`${which} ${to.toLowerCase()}`) : undefined;
        const why =
          holder !== undefined && holder !== id
            ? 'somebody else has it'
            : to === null && (stays ?? null) === null
              ? 'it is all they can be reached by'
              : to !== null && typeof to !== 'string'
                ? 'it is no address'
                : null;
        if (why !== null) {
          refused.push({ person: id, field: which, to: typeof to === 'string' ? to : null, why, by });
          delete fields[which];
        } else {
          if (typeof to === 'string') taken.set(`${which} ${to.toLowerCase()}`, id);
          now[which] = to === null ? null : String(to as string);
        }
      }
    }
  }
  return refused;
}

const changesAddress = (input: Extract<Input, { kind: 'set' }>): boolean =>
  FIELDS.some((field) => input.fields !== undefined && Object.hasOwn(input.fields, field));

/** Tells on each person's record what was not changed, and why. `at`: ISO. */
export async function tellRefused(db: Db, refused: readonly Refusal[], at: string): Promise<void> {
  if (!refused.length) return;
  await db.query(
    `insert into happenings (person_id, name, at, source, data, record, handled_at)
     select person_id, 'field_refused', $2::timestamptz, 'engine', data, 0, $2::timestamptz
     from unnest($1::bigint[], $3::jsonb[]) as t (person_id, data)`,
    [refused.map((r) => r.person), at, refused.map(({ person: _, ...data }) => JSON.stringify(data))]
  );
}
