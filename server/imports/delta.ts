/** What a row of a file would change of a person who is known, as SQL over the row `r` and the person `p`. */
import type { ImportPlan } from './plan.ts';

const OWN = ['phone', 'first_name', 'last_name', 'zone'] as const;

/** Who a row `r` is of: `e` by the email, `f` by the phone number; a further address of somebody is theirs as well. */
export const KNOWN_BY = `
  left join people e0 on lower(e0.email) = r.email
  left join other_addresses oe on oe.address = r.email
  cross join lateral (select coalesce(e0.id, oe.person_id) as id) as e
  left join people f0 on f0.phone = r.phone
  left join other_addresses op on op.address = r.phone
  cross join lateral (select coalesce(f0.id, op.person_id) as id,
    case when f0.id is not null then f0.email
      when op.person_id is not null then (select email from people where id = op.person_id) end as email) as f`;

/** Consent as a row has it and the person, by channel; `state` is null where nothing was ever said. */
export const CONSENTS = `
  left join consents ce on ce.person_id = p.id and ce.channel = 'email'
  left join consents cs on cs.person_id = p.id and cs.channel = 'sms'`;

const newConsent = (row: string, known: string): string =>
  `case when ${row} is distinct from ${known}.state and (${known}.state is distinct from 'withdrawn' or ${row} = 'withdrawn') then ${row} end`;
const kept = (row: string, known: string): string =>
  `(coalesce(${row} in ('given', 'pending') and ${known}.state = 'withdrawn', false))::integer`;

/**
 * Columns of a `select` over `r`, `p` and {@link CONSENTS}: `fields` that would change, with what they were (`was`), `tags` and
 * `lists` that would come on, `consent` that would change, and how many withdrawn consents stay (`kept`).
 */
export function deltaSql(known: ImportPlan['known']): string {
  const changes = (own: string, row: string): string =>
    known === 'fill'
      ? `${row} is not null and ${own} is null`
      : `${row} is not null and ${own} is distinct from ${row}`;
  const ownValues = [
    // Whoever was found by the phone number and has no email gets this one; another email is another person.
    `'email', case when p.email is null then r.email end`,
    // A number that is theirs already, beside the one they are called by, changes nothing.
    ...OWN.map(
      (c) =>
        `'${c}', case when ${changes(`p.${c}`, `r.${c}`)} ${c === 'phone' ? 'and not exists (select from other_addresses o where o.address = r.phone)' : ''} then r.${c} end`
    )
  ].join(', ');
  const ownBefore = [`'email', to_jsonb(p.email)`, ...OWN.map((c) => `'${c}', to_jsonb(p.${c})`)].join(', ');
  const field = known === 'fill' ? `not p.fields ? d.key` : `(p.fields -> d.key) is distinct from d.value`;
  const label = (which: 'tag' | 'list'): string =>
    `array(select l from unnest(r.${which}s) as l where not exists (
       select from person_${which}s x where x.person_id = p.id and x.${which} = l))`;
  return `
    jsonb_strip_nulls(jsonb_build_object(${ownValues})) || case when p.fields || r.fields = p.fields then '{}'::jsonb else
      (select coalesce(jsonb_object_agg(d.key, d.value), '{}') from jsonb_each(r.fields) as d where ${field}) end as fields,
    jsonb_build_object(${ownBefore}) || p.fields as was,
    ${label('tag')} as tags, ${label('list')} as lists,
    jsonb_strip_nulls(jsonb_build_object('email', ${newConsent('r.consent_email', 'ce')}, 'sms', ${newConsent('r.consent_sms', 'cs')})) as consent,
    jsonb_build_object('email', ce.state, 'sms', cs.state) as consent_was,
    ${kept('r.consent_email', 'ce')} + ${kept('r.consent_sms', 'cs')} as kept`;
}

/**
 * Whether anything of {@link deltaSql} may come of a row, told from its values as they stand: false for what is the same as it was,
 * which is nearly all of a file that comes again. `lacking`: a query of the lines with a label that the person has not.
 */
export const mayChange = (lacking: string): string =>
  [
    'r.email is not null and p.email is null',
    ...OWN.map((c) => `r.${c} is not null and p.${c} is distinct from r.${c}`),
    'p.fields || r.fields <> p.fields',
    'r.consent_email is not null and ce.state is distinct from r.consent_email',
    'r.consent_sms is not null and cs.state is distinct from r.consent_sms',
    `r.line in (${lacking})`
  ]
    .map((part) => `(${part})`)
    .join(' or ');

/** Whether anything would change, of a row with the columns of {@link deltaSql}. */
export const CHANGES = `(fields <> '{}' or cardinality(tags) > 0 or cardinality(lists) > 0 or consent <> '{}')`;
