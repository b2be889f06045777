import { describe, expect, it } from 'vitest';
import { conditionSchema } from './schema.ts';
import { NO_NAMES, offered, readCondition, type Names } from './typed.ts';

const names: Names = {
  ...NO_NAMES,
  tags: ['keen', 'member', 'first-visit'],
  lists: ['news', 'Moor letter'],
  fields: ['town', 'visits', 'visit_date', 'language', 'interests'],
  scores: ['interest'],
  rungs: ['warm', 'cold'],
  segments: ['Near by'],
  messages: [{ key: 'thank-you', name: 'Thank you' }],
  journeys: [{ key: 'runs-out', name: 'Membership runs out' }]
};

describe('a typed condition', () => {
  it.each<[string, unknown]>([
    ['tag is mem', { tag: 'member' }],
    ['tag keen', { tag: 'keen' }],
    ['tag is not keen', { not: { tag: 'keen' } }],
    ['has no tag keen', { not: { tag: 'keen' } }],
    ['tag is brand-new', { tag: 'brand-new' }],
    ['list is moor letter', { list: 'Moor letter' }],
    ['segment is "Near by"', { segment: 'Near by' }],
    ['consent email', { consent: 'email' }],
    ['consent is text', { consent: 'sms' }],
    ['rung is wa', { rung: 'warm' }],
    ['score interest >= 20', { score: 'interest', gte: 20 }],
    ['spent >= 50 in the last 1y', { spent: { gte: 50 }, last: 'P1Y' }],
    ['orders > 2', { orders: { gt: 2 } }],
    ['opened thank', { did: 'opened', of: 'thank-you' }],
    ['did not open thank you', { not: { did: 'opened', of: 'thank-you' } }],
    ['clicked in the last 30 days', { did: 'clicked', last: 'P30D' }],
    ['in journey membership', { walking: 'runs-out' }],
    ['visits > 3', { field: 'visits', gt: 3 }],
    ['visits at least 3', { field: 'visits', gte: 3 }],
    ['town is Perth', { field: 'town', is: 'Perth' }],
    ['town is "12"', { field: 'town', is: '12' }],
    ['town is not Port Ellen', { field: 'town', not: 'Port Ellen' }],
    ['town contains port', { field: 'town', contains: 'port' }],
    ['town is one of Perth, Cork', { field: 'town', in: ['Perth', 'Cork'] }],
    ['visit date is set', { field: 'visit_date', set: true }],
    ['visit_date is empty', { field: 'visit_date', set: false }],
    ['visit_date before 2027-05-01', { field: 'visit_date', before: '2027-05-01' }],
    ['visit_date in the next 10d', { field: 'visit_date', next: 'P10D' }],
    ['lang is ga', { field: 'language', is: 'ga' }],
    ['interests includes planets', { field: 'interests', has: 'planets' }],
    ['brand_new is 4', { field: 'brand_new', is: 4 }],
    ['tag keen and visits > 3', { all: [{ tag: 'keen' }, { field: 'visits', gt: 3 }] }],
    [
      'tag keen and (list news or not town is Perth)',
      { all: [{ tag: 'keen' }, { any: [{ list: 'news' }, { not: { field: 'town', is: 'Perth' } }] }] }
    ],
    ['tag keen or tag mem and list news', { any: [{ tag: 'keen' }, { all: [{ tag: 'member' }, { list: 'news' }] }] }]
  ])('%s', (typed, expected) => {
    const read = readCondition(typed, names);
    expect(read).toEqual({ condition: expected });
    if ('condition' in read) expect(conditionSchema.safeParse(read.condition).success).toBe(true);
  });

  it.each([
    ['', /type a question/],
    ['tag is', /which tag/],
    ['(tag keen', /not closed/],
    ['tag keen tag', /^$|./],
    ['visits >', /missing|number/],
    ['visits', /compared how/],
    ['score interest', /how much/],
    ['opened nothing here', /no message/],
    ['consent for fax', /email or text/],
    ['visit_date before soon', /no date/],
    ['tag keen and', /missing/],
    [`${'('.repeat(40)}tag keen`, /20 parentheses/]
  ])('%j says what is missing', (typed, problem) => {
    const read = readCondition(typed, names);
    if (typed === 'tag keen tag') expect(read).toEqual({ condition: { tag: 'keen tag' } });
    else expect(read).toEqual({ problem: expect.stringMatching(problem) as string });
  });

  it.each([
    ['', ['tag is', 'list is', 'segment is']],
    ['tag is ', ['tag is keen', 'tag is member', 'tag is first-visit']],
    ['tag is m', ['tag is member']],
    ['tag keen and list is m', ['tag keen and list is "Moor letter"']],
    ['vis', ['visits', 'visit_date']],
    ['opened ', ['opened "Thank you"']]
  ])('offers behind %j', (typed, expected) => expect(offered(typed, names).slice(0, 3)).toEqual(expected));
});
