/** A message filled in for one person: what stands in it, where its links lead, what a value can do to it. */
import { describe, expect, it } from 'vitest';
import { readToken, type TokenUse } from '../intake/token.ts';
import { distinctLinks } from '../../core/message/links.ts';
import type { EmailStep } from '../../core/steps/email.ts';
import { fillMessage, keepParts, restoreParts } from './content.ts';
import { renderEmail, renderSms, scopeOf, type RenderContext } from './render.ts';

const secret = Buffer.alloc(32, 7);
const context: RenderContext = {
  base: 'https://mail.quillmoor.example',
  secret,
  sender: 'Quillmoor Observatory'
};
const to = { person: 41, message: 7, channel: 'email' as const };
const scope = (fields: Record<string, unknown> = {}) => scopeOf(to, fields, 'After the visit', context);
/** An email as it goes out; its content goes through what is kept of it. */
const email = (text: string, more: object = {}, fields: Record<string, unknown> = {}) => {
  const step: EmailStep = { key: 'a', kind: 'email', subject: 'Hello', text, ...more };
  const content = fillMessage(step, scope(fields));
  const { body, links } = keepParts(content.parts);
  expect(restoreParts(body, links)).toEqual(content.parts);
  return { ...renderEmail(content, step, to, context), links: distinctLinks(content.parts) };
};
const sms = (text: string, fields = {}) => {
  const content = fillMessage({ key: 't', kind: 'sms', text }, scope(fields));
  return { text: renderSms(content, to, context), links: distinctLinks(content.parts) };
};

/** What a tracked address is about. */
function about(address: string, use: TokenUse, kind: 'l' | 'o' | 'u') {
  const { origin, pathname } = new URL(address);
  expect(origin).toBe(context.base);
  expect(pathname).toMatch(new RegExp(`^/${kind}/`));
  return readToken(secret, use, pathname.slice(3));
}

describe('an email', () => {
  it('numbers its links in order, one link twice as one, and remembers where they led', () => {
    const { text, links, html } = email('A https://a.example/ B https://b.example/?x=1&y=2 A again https://a.example/');
    expect(links).toEqual(['https://a.example/', 'https://b.example/?x=1&y=2']);
    const tracked = [...text.matchAll(/https:\/\/mail\S+\/l\/[\w-]+/g)].map((m) => about(m[0], 'link', 'l')?.number);
    expect(tracked).toEqual([1, 2, 1]);
    expect(html).not.toContain('href="https://b.example');
    expect(html).toContain('>https://b.example/?x=1&amp;y=2</a>');
  });

  it('carries a pixel and a way out that are about this copy alone', () => {
    const { html, unsubscribe, text } = email('Words');
    const pixel = /<img src="([^"]+)"/.exec(html)?.[1] ?? '';
    expect(about(pixel, 'open', 'o')).toEqual({ person: 41, message: 7, number: 0 });
    expect(about(unsubscribe ?? '', 'unsubscribe', 'u')).toEqual({ person: 41, message: 7, number: 1 });
    expect(about(unsubscribe ?? '', 'link', 'u')).toBeNull();
    expect(text.endsWith(`-- \nQuillmoor Observatory\nUnsubscribe: ${unsubscribe}\n`)).toBe(true);
  });

  it('does not track its own way out, wherever it stands in the text', () => {
    const { text, unsubscribe } = email('Enough? {{ links.unsubscribe }}');
    expect(text).toContain(`Enough? ${unsubscribe}`);
    expect(text).not.toContain('/l/');
  });

  it('has a subject of one line, whatever a field brings', () => {
    const fields = { first_name: 'Ada\r\nBcc: everyone@people.example' };
    const { subject } = email('x', { subject: 'For {{ person.first_name }}' }, fields);
    expect(subject).toBe('For Ada Bcc: everyone@people.example');
  });

  it('a field that looks like markup, Liquid or a script is text in every part', () => {
    const nasty = '<script>alert(1)</script>{{ person.email }}{% for i in (1..9) %}';
    const fields = { n: nasty, email: 'secret@people.example' };
    const { html, text } = email('{{ person.n }}', { preview: '{{ person.n }}' }, fields);
    expect(html).not.toContain('<script>');
    expect(html + text).not.toContain('secret@people.example');
    expect(text).toContain(nasty);
  });

  it('a link that a field brings is left as it is, untracked', () => {
    const { links, text, html } = email(
      'Your page: {{ person.page }}',
      {},
      { page: 'https://quillmoor.example/me/41' }
    );
    expect(links).toEqual([]);
    expect(text).toContain('Your page: https://quillmoor.example/me/41\n');
    expect(html).not.toContain('href="https://quillmoor.example/me/41"');
  });

  it('tracks and offers a way out only where the step says so', () => {
    const quiet = email('https://a.example/', { track: { opens: false, clicks: false }, unsubscribe: false });
    expect(quiet.html).toContain('href="https://a.example/"');
    expect(quiet.html + quiet.text).not.toContain(context.base);
    expect(quiet.unsubscribe).toBeNull();
  });

  it('holds nothing that no text can, whatever a filter makes of a value', () => {
    const { text, subject } = email(
      '{{ person.n | url_decode }}{{ person.e | truncate: 1, "" }}.',
      { subject: 'For {{ person.n | url_decode }}' },
      { n: 'a%00b', e: '👩' }
    );
    expect(text.startsWith('a\ufffdb👩.')).toBe(true);
    expect(subject).toBe('For a\ufffdb');
  });

  it('its subject has at most 250 characters, whatever a person is called', () => {
    const { subject } = email('x', { subject: 'For {{ person.n }}' }, { n: 'Ädä '.repeat(500) });
    expect(subject.length).toBeLessThanOrEqual(250);
    expect(subject.endsWith('…')).toBe(true);
  });

  it.each([
    ['{{ person.first_name | default: "stargazer" }}', {}, 'stargazer'],
    ['{{ person.first_name | default: "stargazer" }}', { first_name: 'Ada' }, 'Ada'],
    ['{{ person.visits | plus: 1 }}', { visits: 2 }, '3'],
    ['{% if person.member %}member{% else %}guest{% endif %}', { member: true }, 'member'],
    ['{% if person.member %}member{% else %}guest{% endif %}', {}, 'guest'],
    ['{{ journey.name }}', {}, 'After the visit'],
    ['{{ person.interests | join: ", " }}', { interests: ['planets', 'history'] }, 'planets, history']
  ])('%s with %j is %s', (template, fields, expected) => {
    expect(email('x', { subject: template }, fields).subject).toBe(expected);
  });

  it('without words is still a whole email', () => {
    const { html, text } = email('');
    expect(html).toContain('<!doctype html>');
    expect(text).toContain('Unsubscribe');
  });

  it.each([
    ['{{ person.first_name', 'Hello', /cannot be filled in.*not closed/],
    ['{% for i in (1..9999999) %}x{% endfor %}', 'Hello', /cannot be filled in/],
    ['Words', '{{ person.first_name }}', /subject comes out empty/]
  ])('%s under %s cannot go out, and says why', (text, subject, expected) => {
    expect(() => email(text, { subject })).toThrow(expected);
  });
});

describe('a text', () => {
  it('is trimmed, filled in, and its links tracked', () => {
    const { text, links } = sms('  Hi {{ person.first_name }}: https://quillmoor.example/friday \n', {
      first_name: 'Ada'
    });
    expect(links).toEqual(['https://quillmoor.example/friday']);
    expect(text).toMatch(/^Hi Ada: https:\/\/mail\.quillmoor\.example\/l\/[\w-]+$/);
  });

  it('carries nothing that was not written', () => expect(sms('Clear skies tonight').text).toBe('Clear skies tonight'));
});
