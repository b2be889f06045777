/** The JSON Schema (2020-12) of journeys and settings, made from the schemas that read them. */
import { z } from 'zod';
import { amountSchema, comparisonSchema, countSchema } from '../condition/comparison.ts';
import { happeningSchema } from '../condition/happening.ts';
import { conditionSchema } from '../condition/schema.ts';
import { SETTINGS_FORMAT, settingsSchema } from '../settings/schema.ts';
import { hoursSchema } from '../time/hours.ts';
import { laneSchema } from '../steps/lane.ts';
import { FORMAT, journeySchema } from './schema.ts';

/** One document that defines both; what refers to itself (lanes, conditions) stands under `$defs` by its name. */
export function documentSchemas(): Record<string, unknown> {
  const registry = z.registry<{ id: string; title?: string }>();
  registry.add(journeySchema, { id: 'journey', title: FORMAT });
  registry.add(settingsSchema, { id: 'settings', title: SETTINGS_FORMAT });
  registry.add(laneSchema, { id: 'lane' });
  registry.add(conditionSchema, { id: 'condition' });
  registry.add(happeningSchema, { id: 'happening' });
  registry.add(hoursSchema, { id: 'hours' });
  registry.add(comparisonSchema, { id: 'comparison' });
  registry.add(amountSchema, { id: 'amounts' });
  registry.add(countSchema, { id: 'counts' });
  const { schemas } = z.toJSONSchema(registry, {
    target: 'draft-2020-12',
    io: 'input',
    uri: (id) => `#/$defs/${id}`
  });
  const defs: Record<string, unknown> = {};
  for (const [id, schema] of Object.entries(schemas)) {
    const { $schema: _schema, $id: _id, $defs: inner, ...rest } = schema as Record<string, unknown>;
    if (Object.keys(rest).length) defs[id] = rest;
    // What several of them share stands beside them.
    Object.assign(defs, inner);
  }
  const flat = JSON.parse(JSON.stringify(defs).replaceAll('#/$defs/__shared#/$defs/', '#/$defs/')) as object;
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: 'Ambulo: journeys and settings',
    oneOf: [{ $ref: '#/$defs/journey' }, { $ref: '#/$defs/settings' }],
    $defs: flat
  };
}
