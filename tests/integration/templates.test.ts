/** Templates cannot stop anything: whatever is written, it is given up at its limit, the others go out, and nothing else waits. */
import { afterEach, beforeEach, expect, it } from 'vitest';
import type { Step } from '../../core/steps/index.ts';
import { templateProblem } from '../../core/message/personal.ts';
import { journey, mail, MONDAY, reachable, text, wait } from '../make.ts';
import { tryMessages } from '../../server/journeys/tried.ts';
import { fillAll } from '../../server/mail/fill.ts';
import { askEntry } from '../../server/people/inputs.ts';
import { addPeople, live, openWorld, skipTo, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const LONG = "{% assign s = 'abcdefghij' %}{% for i in (1..16) %}{% assign s = s | append: s %}{% endfor %}";
const BOMBS: [string, string][] = [
  ['a loop without end', '{% for i in (1..99999999) %}x{% endfor %}'],
  [
    'loops inside loops',
    '{% for a in (1..9999) %}{% for b in (1..9999) %}{% for c in (1..9999) %}{% endfor %}{% endfor %}{% endfor %}'
  ],
  [
    'a text that doubles',
    `{% assign s = 'x' %}{% for i in (1..40) %}{% assign s = s | append: s %}{% endfor %}{{ s }}`
  ],
  [
    'a text taken apart and put together',
    `${LONG}{% for i in (1..9999) %}{% assign t = s | split: '' | join: ',' | split: ',' %}{% endfor %}`
  ],
  [
    'a text replaced again and again',
    `${LONG}{% for i in (1..9999) %}{% assign t = s | replace: 'a', 'aa' %}{% endfor %}`
  ],
  [
    'sorted again and again',
    `${LONG}{% assign l = s | split: '' %}{% for i in (1..9999) %}{% assign m = l | sort | reverse | uniq %}{% endfor %}`
  ],
  [
    'tags stripped from what looks like one',
    `${LONG}{% for i in (1..9999) %}{% assign t = '<' | append: s | strip_html %}{% endfor %}`
  ],
  ['rows of a table without end', '{% tablerow i in (1..99999999) cols:1 %}x{% endtablerow %}'],
  ['captured without end', '{% for i in (1..99999999) %}{% capture s %}{{ s }}x{% endcapture %}{% endfor %}'],
  [
    'an expression for each element, inside itself',
    `{% assign l = 'a,a,a,a,a,a,a,a,a,a,a,a' | split: ',' %}{{ l | where_exp: 'x', 'l | where_exp: "y", "l | where_exp: z"' }}`
  ]
];
const scope = { person: { first_name: 'Ada' }, journey: { name: 'x' }, links: { unsubscribe: 'https://u.example' } };

it.each(BOMBS)('%s is given up, and meanwhile all else goes on', async (_, template) => {
  const order: string[] = [];
  const filling = fillAll([{ what: 'text', template, scope }]).then(([filled]) => {
    order.push('filled');
    return filled;
  });
  // What is asked while it is being filled in is answered: nothing stands still for it.
  for (let i = 0; i < 3; i++) await world.pool.query('select 1');
  order.unshift('others');
  expect(order[0]).toBe('others');
  expect(await filling).toMatchObject({ what: 'error', error: expect.any(String) as string });
});

it('filters that evaluate expressions are none of ours: said while it is a draft', () => {
  for (const filter of ['where_exp', 'group_by_exp', 'find_exp', 'find_index_exp', 'has_exp', 'reject_exp'])
    expect(templateProblem(`{{ l | ${filter}: 'x', 'x' }}`)).toMatch(/undefined filter/);
});

it('the review finds it, and where it is sent all the same, the others go out and it waits by itself', async () => {
  const words = `{% if person.visits %}${BOMBS[0]![1]}{% endif %}ok`;
  const lane = [{ ...mail('a'), text: words } as Step, text('t'), wait('w')];
  await live(world, journey(lane));
  await addPeople(world.pool, [
    reachable('p', (p) => void p.fields.set('visits', 'many')),
    reachable('q', (p) => void p.fields.delete('phone'))
  ]);
  expect(await tryMessages(world.pool, journey(lane))).toMatchObject([{ severity: 'blocker', step: 'a' }]);
  for (const id of [1, 2]) await askEntry(world.pool, [id], 'try', 'test');
  await skipTo(world, MONDAY);
  const { rows } = await world.pool.query(
    'select person_id, step, state, trouble from messages order by person_id, id'
  );
  expect(rows).toEqual([
    { person_id: 1, step: 'a', state: 'queued', trouble: 'filling-in' },
    { person_id: 1, step: 't', state: 'sent', trouble: null },
    { person_id: 2, step: 'a', state: 'sent', trouble: null }
  ]);
});
