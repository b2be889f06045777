import { reachable } from '../../tests/make.ts';
import { describe, expect, it } from 'vitest';
import { emailHtml } from './html.ts';
import { distinctLinks, joinParts, readMarked, markLinks } from './links.ts';
import { fillIn, fillInParts, MOST_OUTPUT, templateProblem, scopeOf } from './personal.ts';
import { smsSize } from './sms.ts';
import { asksToStop } from './stop.ts';

const scope = (person: Record<string, unknown>) => ({
  person,
  journey: { name: 'Try' },
  links: { unsubscribe: 'https://u.example' }
});

describe('personal fields', () => {
  it.each([
    ['Hi {{ person.first_name | default: "there" }}', { first_name: 'Ada' }, 'Hi Ada'],
    ['Hi {{ person.first_name | default: "there" }}', {}, 'Hi there'],
    ['Hi {{ person.first_name | default: "there" }}', { first_name: '' }, 'Hi there'],
    ['{{ person.first_name }}', { first_name: '{{ person.email }}<b>' }, '{{ person.email }}<b>'],
    ['{{ person.constructor.name }}|{{ person.toString }}', {}, '|']
  ])('%s with %j', (template, person, expected) => expect(fillIn(template, scope(person))).toBe(expected));

  it.each(['{{ person.first_name', '{% if person.x %}', '{{ x | shout }}'])('%s cannot be read', (template) =>
    expect(templateProblem(template)).not.toBeNull()
  );

  it('sees what began the walk, and who walks', () => {
    const person = reachable('p1', (p) => p.fields.set('first_name', 'Ada'));
    const entry = {
      name: 'purchased',
      at: 0,
      order: 'o1',
      amount: '12.50',
      items: [{ sku: 'mug', name: 'Mug', quantity: 2 }],
      record: 9,
      cause: 3
    };
    const links = { unsubscribe: 'https://u.example', preferences: 'https://p.example', view: 'https://v.example' };
    const own = scopeOf(person, { entry }, 'After the visit', links);
    expect(
      fillIn(
        '{{ person.first_name }}: {{ entry.items[0].quantity }} {{ entry.items[0].name }} for {{ entry.amount }}{{ entry.record }}, {{ journey.name }}, {{ links.view }}',
        own
      )
    ).toBe('Ada: 2 Mug for 12.50, After the visit, https://v.example');
    const form = scopeOf(
      person,
      { entry: { name: 'form_sent', at: 0, form: 'visit', data: { seats: 3 } } },
      'J',
      links
    );
    expect(fillIn('{{ entry.seats }} {{ entry.form }} {{ entry.town | default: "somewhere" }}', form)).toBe(
      '3 visit somewhere'
    );
    expect(fillIn('{{ entry.items[0].name | default: "something" }}', scopeOf(person, {}, 'J', links))).toBe(
      'something'
    );
  });

  it('does not run away, and reads no files', () => {
    expect(() => fillIn('{% for i in (1..100000000) %}x{% endfor %}', scope({}))).toThrow();
    expect(() => fillIn('{% include "/etc/passwd" %}', scope({}))).toThrow();
    const long = { words: 'x'.repeat(1000) };
    expect(fillIn('{% for i in (1..200) %}{{ person.words }}{% endfor %}', scope(long))).toHaveLength(MOST_OUTPUT);
    expect(() => fillIn('{% for i in (1..201) %}{{ person.words }}{% endfor %}', scope(long))).toThrow(/200,000/);
  });
});

describe('HTML of an email', () => {
  const html = (text: string, subject = 's'): string =>
    emailHtml({
      subject,
      preview: '<i>',
      text: readMarked(markLinks(text)),
      href: (url) => `https://t.example/?${url.length}`,
      pixel: 'https://p.example/"x',
      sender: 'Us'
    });
  it('shows everything as text', () => {
    const out = html('<script>alert(1)</script> & "quotes"', '</title><script>');
    expect(out).not.toContain('<script>');
    expect(out).toContain('&lt;script&gt;alert(1)&lt;/script&gt; &amp; &quot;quotes&quot;');
    expect(out).toContain('src="https://p.example/&quot;x"');
  });
  it('makes paragraphs, breaks and links', () => {
    const out = html('One\ntwo\n\nSee https://quillmoor.example/a?b=1&c=2.');
    expect(out.match(/<p /g)).toHaveLength(2);
    expect(out).toContain('One<br>');
    expect(out).toMatch(
      /<a href="https:\/\/t\.example\/\?35"[^>]*>https:\/\/quillmoor\.example\/a\?b=1&amp;c=2<\/a>\./
    );
  });
});

describe('links', () => {
  const parts = (template: string, person: Record<string, unknown> = {}) => fillInParts(template, scope(person));
  it.each([
    ['see https://a.example/x, and https://a.example/x (twice)', ['https://a.example/x']],
    ['(https://a.example/(x))', ['https://a.example/(x)']],
    ['javascript:alert(1) ftp://a.example mailto:x@a.example a.example', []],
    // What is filled in may be part of a link, but never says where it leads.
    ['https://a.example/?n={{ person.name }}.', ['https://a.example/?n=Ada']],
    ['https://a.example/?n={{ person.two }}', ['https://a.example/?n=Ada%20Lee']],
    ['https://{{ person.host }}/x', []],
    ['https://a.example{{ person.host }}/x', []],
    ['Yours: {{ person.page }}', []],
    ['{{ links.unsubscribe }} or https://a.example/', ['https://a.example/']],
    ['{% if person.name %}https://a.example/{% else %}https://b.example/{% endif %}', ['https://a.example/']],
    ['{% for i in (1..2) %}https://a.example/{{ i }} {% endfor %}', ['https://a.example/1', 'https://a.example/2']]
  ])('%s', (text, expected) => {
    const person = { name: 'Ada', two: 'Ada Lee', host: 'b.example', page: 'https://b.example/me' };
    expect(distinctLinks(parts(text, person))).toEqual(expected);
  });
  it('are replaced where they stand, and what a field brings stays as it is', () => {
    const person = { page: 'https://b.example/', nasty: '\uFDD0https://b.example/\uFDD1' };
    expect(joinParts(parts('a https://x.example {{ person.page }} {{ person.nasty }}', person), () => 'L')).toBe(
      'a L https://b.example/ https://b.example/'
    );
  });
});

describe('texts', () => {
  it.each([
    ['', 'GSM-7', 0, 1, 160],
    ['x'.repeat(160), 'GSM-7', 160, 1, 0],
    ['x'.repeat(161), 'GSM-7', 161, 2, 145],
    ['€', 'GSM-7', 2, 1, 158],
    ['Dún Sailí', 'UCS-2', 9, 1, 61],
    ['😀'.repeat(35), 'UCS-2', 70, 1, 0],
    ['😀'.repeat(36), 'UCS-2', 72, 2, 62]
  ])('%j', (text, alphabet, used, parts, left) => expect(smsSize(text)).toEqual({ alphabet, used, parts, left }));
  it.each([
    ['STOP', true],
    [' stop. ', true],
    ['Unsubscribe', true],
    ['"STOP"', true],
    ['ＳＴＯＰ', true],
    ['Stop please', true],
    ['please stop texting me', true],
    ['Stop. Thank you!', true],
    ['‘stop’', true],
    ['stop stop', true],
    ['please', false],
    ['stop by on Friday?', false],
    ['', false]
  ])('%j stops: %s', (text, stops) => expect(asksToStop(text)).toBe(stops));
});
