/** Who fetches: a table of cases for each rule. */
import { describe, expect, it } from 'vitest';
import { isMachine, isScanned, type Early } from './machine.ts';

const BROWSER = 'Mozilla/5.0 (Windows NT 10.0; Win64; x64; rv:140.0) Gecko/20100101 Firefox/140.0';
const fetch = (more: object) => ({ method: 'GET', userAgent: BROWSER, purpose: null, ...more });

it.each<[string, object, boolean, boolean]>([
  // who, what the request says, a machine as an opening, as a click
  ['a browser', {}, false, false],
  [
    'a phone',
    {
      userAgent:
        'Mozilla/5.0 (Linux; Android 14) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/130.0 Mobile Safari/537.36'
    },
    false,
    false
  ],
  [
    'a mail program',
    { userAgent: 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Thunderbird/140.0' },
    false,
    false
  ],
  [
    'a picture fetched for a reader',
    { userAgent: 'Mozilla/5.0 (Windows NT 5.1; rv:11.0) Gecko Firefox/11.0 (via some ImageProxy)' },
    false,
    true
  ],
  ['nobody', { userAgent: null }, true, true],
  ['an empty name', { userAgent: ' ' }, true, true],
  ['a relay that fetches ahead', { userAgent: 'Mozilla/5.0' }, true, true],
  ['a program', { userAgent: 'python-requests/2.32' }, true, true],
  ['a crawler', { userAgent: 'Examplebot/2.1 (+https://example.org/bot)' }, true, true],
  [
    'a browser that nobody sits at',
    {
      userAgent:
        'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) HeadlessChrome/130.0 Safari/537.36'
    },
    true,
    true
  ],
  ['HEAD', { method: 'HEAD' }, true, true],
  ['a page that is loaded ahead', { purpose: 'prefetch;prerender' }, true, true],
  ['a preview', { purpose: 'preview' }, true, true]
])('%s', (_, more, opening, click) => {
  expect(isMachine(fetch(more), 'opened')).toBe(opening);
  expect(isMachine(fetch(more), 'clicked')).toBe(click);
});

describe('what is fetched within seconds of delivery', () => {
  const click = (link: string): Early => ({ name: 'clicked', link, machine: false });
  const open: Early = { name: 'opened', link: null, machine: false };
  it.each<[string, Early[], number, boolean]>([
    ['one of one link: a quick reader', [open, click('a')], 1, false],
    ['one of three', [open, click('a')], 3, false],
    ['two of three', [click('a'), click('b')], 3, false],
    ['every link', [click('a'), click('b'), click('c')], 3, true],
    ['both of two', [open, click('a'), click('b')], 2, true],
    ['one of them again and again', [click('a'), click('a'), click('a')], 3, false],
    ['the link that nobody sees', [{ name: 'trap', link: null, machine: true }], 3, true],
    ['opened only', [open], 0, false],
    ['nothing', [], 2, false]
  ])('%s', (_, early, links, scanned) => expect(isScanned(early, links)).toBe(scanned));
});
