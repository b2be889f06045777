/** The API as an OpenAPI 3.1 document, made from the schemas that read it. */
import { z } from 'zod';
import { aboutMessage, cloudEvent, enterData, setData, shapes } from '../../core/events/event.ts';
import { MESSAGE_HAPPENINGS } from '../../core/condition/happening.ts';
import { MOST_EVENTS } from '../intake/events.ts';

const schemaOf = (schema: z.ZodType): object => {
  const { $schema: _, ...rest } = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' }) as Record<
    string,
    unknown
  >;
  return rest;
};

/** What stands in `data`, by type. */
function dataByType(): Record<string, object> {
  const messages = MESSAGE_HAPPENINGS.filter((name) => name !== 'sent').map((name) => [
    `ambulo.${name}`,
    schemaOf(aboutMessage)
  ]);
  const others = Object.entries(shapes).map(([name, schema]) => [`ambulo.${name}`, schemaOf(schema)]);
  return Object.fromEntries([
    ...messages,
    ...others,
    ['ambulo.set', schemaOf(setData)],
    ['ambulo.enter', schemaOf(enterData)]
  ]) as Record<string, object>;
}

export function openApi(base: string): object {
  const data = dataByType();
  const event = schemaOf(cloudEvent) as { properties: Record<string, object> };
  const answer = {
    type: 'object',
    properties: {
      taken: { type: 'integer', description: 'Stored by this request.' },
      known: { type: 'integer', description: 'Told before, by the same source and id: nothing more comes of them.' },
      refused: {
        type: 'array',
        items: {
          type: 'object',
          properties: {
            index: { type: 'integer', description: 'Place in the request, from 0.' },
            id: { type: ['string', 'null'] },
            problems: { type: 'array', items: { type: 'string' } }
          }
        }
      }
    }
  };
  const said = (description: string): object => ({
    description,
    content: { 'application/json': { schema: { type: 'object', properties: { message: { type: 'string' } } } } }
  });
  return {
    openapi: '3.1.0',
    info: {
      title: 'Ambulo',
      version: '1',
      description:
        'Tell Ambulo what happened. Keys are made on the page Settings; they are sent as "Authorization: Bearer …".'
    },
    servers: [{ url: base }],
    security: [{ key: [] }],
    paths: {
      '/api/happenings': {
        post: {
          summary: 'Tell of one happening, or of many at once',
          description: `CloudEvents 1.0, structured: one as application/cloudevents+json, or up to ${MOST_EVENTS.toLocaleString('en')} as application/cloudevents-batch+json; or one in binary mode, with its attributes as ce- headers. Stored first, answered at once, applied once: the same source and id is one. Each that is refused is named with its reason; the others are kept. "subject" is a person: their number here, their email address or their phone number. "ambulo.set" changes facts, "ambulo.enter" puts into a journey.`,
          requestBody: {
            required: true,
            content: {
              'application/cloudevents+json': { schema: { $ref: '#/components/schemas/Event' } },
              'application/cloudevents-batch+json': {
                schema: { type: 'array', maxItems: MOST_EVENTS, items: { $ref: '#/components/schemas/Event' } }
              }
            }
          },
          responses: {
            202: {
              description: 'All that is right is stored.',
              content: { 'application/json': { schema: { $ref: '#/components/schemas/Answer' } } }
            },
            400: said('The body is not JSON, or not an event or a list of them.'),
            401: said('There is no key, or it was revoked.'),
            403: said('The key may not do this.'),
            413: said('The body is too large.'),
            422: {
              description: 'Nothing of it is right.',
              content: { 'application/json': { schema: { $ref: '#/components/schemas/Answer' } } }
            },
            503: said('Nothing was stored: try again in a moment, with the same ids.')
          }
        }
      }
    },
    components: {
      securitySchemes: { key: { type: 'http', scheme: 'bearer' } },
      schemas: {
        Event: {
          ...event,
          properties: { ...event.properties, type: { type: 'string', enum: Object.keys(data) } },
          allOf: Object.entries(data).map(([type, schema]) => ({
            if: { properties: { type: { const: type } } },
            then: { properties: { data: schema } }
          }))
        },
        Answer: answer
      }
    }
  };
}
