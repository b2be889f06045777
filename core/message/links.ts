/** Links in the text of a message. */
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

/** Each link once, in order of first appearance: its place here is its number in a tracked link. */
export function distinctLinks(text: string): string[] {
  return [...new Set(findLinks(text).map((l) => l.url))];
}

/** The text with every link replaced. */
export function replaceLinks(text: string, replace: (url: string) => string): string {
  let out = '';
  let from = 0;
  for (const { url, start, end } of findLinks(text)) {
    out += text.slice(from, start) + replace(url);
    from = end;
  }
  return out + text.slice(from);
}
