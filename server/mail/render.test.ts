/** A message filled in for one person: what stands in it, where its links lead, what a value can do to it. */
import { describe, expect, it } from 'vitest';
import { readToken, type TokenUse } from '../intake/token.ts';
import { renderEmail, renderSms, type Recipient, type RenderContext } from './render.ts';

const secret = Buffer.alloc(32, 7);
const context: RenderContext = {
  base: 'https://mail.quillmoor.example',
  secret,
  journeyName: 'After the visit',
  sender: 'Quillmoor Observatory'
};
const to = (fields: Record<string, unknown> = {}): Recipient => ({ person: 41, message: 7, fields });
const email = (text: string, more: object = {}) =>
  renderEmail({ key: 'a', kind: 'email', subject: 'Hello', text, ...more }, to(), context);
const sms = (text: string, fields = {}) => renderSms({ key: 't', kind: 'sms', text }, to(fields), context);

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
    expect(about(unsubscribe, 'unsubscribe', 'u')).toEqual({ person: 41, message: 7, number: 0 });
    expect(about(unsubscribe, 'link', 'u')).toBeNull();
    expect(text.endsWith(`-- \nQuillmoor Observatory\nUnsubscribe: ${unsubscribe}\n`)).toBe(true);
  });

  it('does not track its own way out, wherever it stands in the text', () => {
    const { text, unsubscribe } = email('Enough? {{ links.unsubscribe }}');
    expect(text).toContain(`Enough? ${unsubscribe}`);
    expect(text).not.toContain('/l/');
  });

  it('has a subject of one line, whatever a field brings', () => {
    const step = { key: 'a', kind: 'email' as const, subject: 'For {{ person.first_name }}', text: 'x' };
    const { subject } = renderEmail(step, to({ first_name: 'Ada\r\nBcc: everyone@people.example' }), context);
    expect(subject).toBe('For Ada Bcc: everyone@people.example');
  });

  it('a field that looks like markup, Liquid or a script is text in every part', () => {
    const nasty = '<script>alert(1)</script>{{ person.email }}{% for i in (1..9) %}';
    const step = { key: 'a', kind: 'email' as const, subject: 's', preview: '{{ person.n }}', text: '{{ person.n }}' };
    const { html, text } = renderEmail(step, to({ n: nasty, email: 'secret@people.example' }), context);
    expect(html).not.toContain('<script>');
    expect(html + text).not.toContain('secret@people.example');
    expect(text).toContain(nasty);
  });

  it('a link that a field brings is tracked as that person’s own', () => {
    const step = { key: 'a', kind: 'email' as const, subject: 's', text: 'Your page: {{ person.page }}' };
    const { links } = renderEmail(step, to({ page: 'https://quillmoor.example/me/41' }), context);
    expect(links).toEqual(['https://quillmoor.example/me/41']);
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
    const step = { key: 'a', kind: 'email' as const, subject: template, text: 'x' };
    expect(renderEmail(step, to(fields), context).subject).toBe(expected);
  });

  it('without words is still a whole email', () => {
    const { subject, html, text } = renderEmail({ key: 'a', kind: 'email' }, to(), context);
    expect(subject).toBe('');
    expect(html).toContain('<!doctype html>');
    expect(text).toContain('Unsubscribe');
  });

  it('that cannot be filled in says why', () => {
    expect(() => email('{{ person.first_name')).toThrow(/not closed/);
    expect(() => email('{% for i in (1..9999999) %}x{% endfor %}')).toThrow();
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
