/**
 * Links in the text of a message. They are looked for in the template, before
 * personal fields are filled in: what a field brings is never a link of ours,
 * so a name cannot put an address into a mail that we vouch for and track.
 */
import { LinkifyIt } from 'linkify-it';

// Only addresses with a scheme: "example.org" in a sentence is often no link.
const finder = new LinkifyIt({ fuzzyLink: false, fuzzyEmail: false, fuzzyIP: false });
finder.add('ftp:', null).add('mailto:', null).add('//', null);

export interface FoundLink {
  url: string;
  start: number;
  end: number;
}

/** The http and https links of a text, in order of place. */
export function findLinks(text: string): FoundLink[] {
  return (finder.match(text) ?? []).map((m) => ({ url: m.url, start: m.index, end: m.lastIndex }));
}

/** A piece of a message's text: words as they stand, or a link. */
export type Part = { words: string } | { link: string };

/** Noncharacters (Unicode 23.7): they stand around links while personal fields are filled in, and nowhere else. */
const OPEN = '\uFDD0';
const CLOSE = '\uFDD1';
const MARKS = /[\uFDD0\uFDD1]/g;

/** A text without the characters that mark links. */
export const unmarked = (text: string): string => text.replace(MARKS, '');

/** Liquid inside a template: what prints something may be part of a link, what decides something ends it. */
const LIQUID = /\{\{[\s\S]*?\}\}|\{%[\s\S]*?%\}/g;
/** Scheme and host are written out, and nothing that is filled in can move where the host ends. */
const OWN_HOST = /^https?:\/\/[^/?#{}\s]+(?:[/?#]|$)/i;

/** A template with its links marked; to be read by {@link readMarked} once it is filled in. */
export function markLinks(template: string): string {
  const plain = unmarked(template);
  const masked = plain.replace(LIQUID, (tag) => (tag.startsWith('{{') ? 'x' : ' ').repeat(tag.length));
  let out = '';
  let from = 0;
  for (const { start, end } of findLinks(masked)) {
    if (!OWN_HOST.test(plain.slice(start, end))) continue;
    out += plain.slice(from, start) + OPEN + plain.slice(start, end) + CLOSE;
    from = end;
  }
  return out + plain.slice(from);
}

/** The parts of a text whose template was marked. */
export function readMarked(text: string): Part[] {
  const parts: Part[] = [];
  const say = (words: string): void => {
    if (words) parts.push({ words: unmarked(words) });
  };
  let from = 0;
  for (const m of text.matchAll(/\uFDD0([^\uFDD0\uFDD1]*)\uFDD1/g)) {
    say(text.slice(from, m.index));
    const link = address(m[1] ?? '');
    parts.push(link === null ? { words: m[1] ?? '' } : { link });
    from = m.index + m[0].length;
  }
  say(text.slice(from));
  return parts;
}

/** A filled-in link as an address; `null` where it has become none. */
function address(text: string): string | null {
  if (/^[\x21-\x7e]+$/.test(text)) return text;
  try {
    return new URL(text).href;
  } catch {
    return null;
  }
}

/** The parts as one text, links as `href` gives them. */
export function joinParts(parts: readonly Part[], href: (link: string) => string = (link) => link): string {
  return parts.map((p) => ('link' in p ? href(p.link) : p.words)).join('');
}

/** Each link once, in order of first appearance: its place here is its number in a tracked link. */
export function distinctLinks(parts: readonly Part[]): string[] {
  return [...new Set(parts.flatMap((p) => ('link' in p ? [p.link] : [])))];
}

/** The parts without white space at either end. */
export function trimParts(parts: readonly Part[]): Part[] {
  return parts
    .map((p, i) => {
      if ('link' in p) return p;
      const start = i === 0 ? p.words.trimStart() : p.words;
      return { words: i === parts.length - 1 ? start.trimEnd() : start };
    })
    .filter((p) => 'link' in p || p.words !== '');
}
