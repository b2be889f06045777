import { describe, expect, it } from 'vitest';
import { journeySchema } from './schema.ts';
import { namesIn, renamed, type NameKind } from './names.ts';

const DOCUMENT = {
  format: 'ambulo.journey/1',
  key: 'try',
  entry: {
    on: [
      { happening: 'tag_added', tag: 'tag-in' },
      { happening: 'form_sent', where: { tag: { is: 'x' } } }
    ],
    where: {
      all: [{ list: 'list-in' }, { not: { any: [{ segment: 'segment-in' }, { field: 'field-in', is: 'tag-in' }] } }]
    }
  },
  goal: { when: [{ happening: 'list_joined', list: 'list-goal' }] },
  leaveWhen: [{ when: { did: 'field_changed', field: 'field-leave', times: { gte: 1 } } }],
  lane: [
    { key: 'a', kind: 'tag', add: ['tag-put', 'tag-in'], remove: ['tag-off'] },
    { key: 'b', kind: 'list', move: { from: 'list-from', to: 'list-to' } },
    { key: 'c', kind: 'field', set: { 'field-set': { add: 1 }, 'field-in': 'tag-in' } },
    { key: 'd', kind: 'wait', until: { field: 'field-wait' } },
    {
      key: 'e',
      kind: 'branch',
      by: 'rules',
      lanes: [
        {
          when: { tag: 'tag-lane' },
          lane: [
            {
              key: 'f',
              kind: 'email',
              subject: 'Hi {{ person.first_name | default: "tag-in" }}',
              body: '{% if person.town == "x" %}person.town{% endif %} {{ person["my-field"] }} {{ entry.tag }}'
            }
          ]
        },
        { else: true, lane: [] }
      ]
    },
    { key: 'g', kind: 'call', url: 'https://quillmoor.example/x', data: { tag: 'tag-in', list: ['list-in'] } }
  ]
};
const of = (kind: NameKind): string[] =>
  namesIn(DOCUMENT).flatMap((u) =>
    u.kind === kind ? [`${u.name}${u.sets ? ' set' : ''}${u.step ? ` in ${u.step}` : ''}`] : []
  );

describe('names in a document', () => {
  it('are found wherever they stand, and nowhere else', () => {
    expect(of('tag')).toEqual(['tag-in', 'tag-put set in a', 'tag-in set in a', 'tag-off set in a', 'tag-lane in e']);
    expect(of('list')).toEqual(['list-in', 'list-goal', 'list-from set in b', 'list-to set in b']);
    expect(of('segment')).toEqual(['segment-in']);
    expect(of('field')).toEqual([
      'field-in',
      'field-leave',
      'field-set set in c',
      'field-in set in c',
      'field-wait in d',
      'first_name in f',
      'town in f',
      'my-field in f'
    ]);
  });

  it('are others afterwards, and nothing else is', () => {
    const names = {
      tag: new Map([['tag-in', 'tag-put']]),
      field: new Map([
        ['town', 'place'],
        ['field-in', 'renamed']
      ])
    };
    const next = renamed(DOCUMENT, names);
    const before = namesIn(DOCUMENT).map((u) => names[u.kind as 'tag']?.get(u.name) ?? u.name);
    // Twice in one step, it stands there once.
    before.splice(before.lastIndexOf('tag-put'), 1);
    expect(namesIn(next).map((u) => u.name)).toEqual(before);
    expect(JSON.stringify(next)).toContain('"is":"tag-in"');
    expect(JSON.stringify(next)).toContain('{% if person.place == \\"x\\" %}person.town{% endif %}');
    expect(next.lane[5]).toBe(DOCUMENT.lane[5]);
  });

  it('the very same document where none is in it', () => {
    expect(renamed(DOCUMENT, { tag: new Map([['other', 'x']]) })).toBe(DOCUMENT);
    expect(renamed(DOCUMENT, {})).toBe(DOCUMENT);
  });

  it('of a journey that can be read it is one that can be read', () => {
    const whole = journeySchema.parse({
      format: 'ambulo.journey/1',
      key: 'x',
      entry: DOCUMENT.entry,
      lane: DOCUMENT.lane.slice(0, 4)
    });
    const names = new Map(namesIn(whole).map((u) => [u.name, `${u.name}-new`]));
    const next = renamed(whole, { tag: names, list: names, field: names, segment: names });
    expect(journeySchema.safeParse(next).success).toBe(true);
    expect(namesIn(next).every((u) => u.name.endsWith('-new'))).toBe(true);
  });
});
