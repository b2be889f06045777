/** field: set fields of the person. Rules: docs/journey-language.md, "field". */
import { z } from 'zod';
import { isOfType, MOST_VALUES } from '../condition/comparison.ts';
import { found } from '../journey/problems.ts';
import type { FieldType, FieldValue } from '../person/values.ts';
import { and } from '../tell/words.ts';
import { dateText, isZone, wallDay } from '../time/civil.ts';
import { instantText } from '../time/instant.ts';
import { atOnce, switchable, counted, type FieldChange, goOn, noLanes, points, type StepKind } from './base.ts';
import { LONGEST, naming, plainText } from '../text/text.ts';

const change = z.union([
  plainText(),
  z.number(),
  z.boolean(),
  z.array(plainText()).max(MOST_VALUES),
  z.strictObject({ now: z.literal(true) }),
  z.strictObject({ add: points }),
  z.strictObject({ include: z.array(plainText()).min(1).max(MOST_VALUES) }),
  z.strictObject({ exclude: z.array(plainText()).min(1).max(MOST_VALUES) }),
  z.strictObject({ clear: z.literal(true) })
]);
export type FieldSetting = z.infer<typeof change>;

export const fieldSchema = z.strictObject({
  ...switchable,
  kind: z.literal('field'),
  set: z.record(naming(LONGEST.name).min(1), change).refine((set) => Object.keys(set).length > 0, {
    error: 'expected at least one field'
  })
});
export type FieldStep = z.infer<typeof fieldSchema>;

/** What would fit a field of this type, where a setting does not. */
function mismatch(setting: FieldSetting, type: FieldType): string | null {
  if (typeof setting !== 'object' || Array.isArray(setting))
    return isOfType(setting, type) ? null : `a value of type ${type}`;
  if ('now' in setting)
    return type === 'date' || type === 'instant' ? null : `a field of type date or instant for "now", not ${type}`;
  if ('add' in setting) return type === 'number' ? null : `a field of type number for "add", not ${type}`;
  if ('include' in setting || 'exclude' in setting)
    return type === 'choices' ? null : `a field of type choices, not ${type}`;
  return null;
}

/** What a field becomes; `null` clears it. */
function valueOf(
  setting: FieldSetting,
  before: FieldValue | undefined,
  type: FieldType | undefined,
  zone: string,
  at: number
): FieldValue | null {
  if (typeof setting !== 'object' || Array.isArray(setting)) return setting;
  if ('clear' in setting) return null;
  if ('now' in setting) return type === 'date' ? dateText(wallDay(zone, at)) : instantText(at);
  if ('add' in setting) return (typeof before === 'number' ? before : 0) + setting.add;
  const chosen = Array.isArray(before) ? before : typeof before === 'string' && before !== '' ? [before] : [];
  if ('include' in setting)
    return [...chosen, ...setting.include.filter((c, i, all) => !chosen.includes(c) && all.indexOf(c) === i)];
  return chosen.filter((c) => !setting.exclude.includes(c));
}

function words([name, setting]: [string, FieldSetting]): string {
  if (typeof setting !== 'object' || Array.isArray(setting)) return `${name} becomes ${[setting].flat().join(', ')}`;
  if ('clear' in setting) return `${name} is cleared`;
  if ('now' in setting) return `${name} becomes the present day`;
  if ('add' in setting)
    return setting.add < 0 ? `${name} goes down by ${-setting.add}` : `${name} goes up by ${setting.add}`;
  return 'include' in setting
    ? `${name} includes ${and(setting.include)}`
    : `${name} no longer includes ${and(setting.exclude)}`;
}

export const field: StepKind<FieldStep> = {
  does: 'set a field of the person',
  reads: (step, facts) => {
    for (const name of Object.keys(step.set)) facts.fields.add(name);
  },
  reaches: null,
  lacks: ({ set }) =>
    Object.values(set).includes('')
      ? ['This step sets a field to nothing.', 'Say what the field becomes, or clear it.']
      : null,
  create: (key) => ({ key, kind: 'field', set: { field: '' } }),
  lanes: noLanes,
  run(step, here, { person, zone, at, around }) {
    const set = Object.entries(step.set).map(([name, setting]): FieldChange => [
      name,
      valueOf(setting, person.fields.get(name), around.workspace.types.get(name), zone, at)
    ]);
    return goOn(here, { do: 'field', set });
  },
  card: (step) => ({
    title: step.name || Object.keys(step.set).join(', '),
    line: Object.entries(step.set).map(words).join(', ')
  }),
  tell: (step) => `Their field ${and(Object.entries(step.set).map(words))}.`,
  problems: ({ set }, { types }, say) => {
    for (const [name, setting] of Object.entries(set)) {
      const type = types?.get(name);
      const noZone = name === 'zone' && typeof setting === 'string' && !isZone(setting);
      const wanted = noZone ? 'a time zone name such as "Europe/Dublin"' : type && mismatch(setting, type);
      if (wanted) say(['set', name], `found ${found(setting)}, expected ${wanted}`);
    }
  },
  lasts: atOnce,
  done: 'set',
  figure: counted('set'),
  trail: {
    set: (d) => [
      'Field set',
      Object.entries(d['fields'] ?? {})
        .map(([name, value]) => `${name}: ${value === null ? 'cleared' : [value].flat().join(', ')}`)
        .join(' · ')
    ]
  }
};
