/**
 * Conditions as they are typed: `tag is keen`, `visits > 3 and not list is news`, `(spent >= 50 in the last 1y or rung is warm)
 * and consent email`. Names may be begun only, where one known name begins so; others are taken as they are. What is typed
 * and cannot be read says where reading stopped and what could stand there.
 */
import { typedDuration } from '../time/duration.ts';
import { parseDate } from '../time/civil.ts';
import { MESSAGE_HAPPENINGS } from './happening.ts';
import type { Comparison } from './comparison.ts';
import type { Condition } from './schema.ts';

/** Names that can be meant; all of them in the order in which they are offered. */
export interface Names {
  tags: readonly string[];
  lists: readonly string[];
  segments: readonly string[];
  fields: readonly string[];
  scores: readonly string[];
  rungs: readonly string[];
  /** Messages that can be asked about: their key, and what they are called. */
  messages: readonly { key: string; name: string }[];
  journeys: readonly { key: string; name: string }[];
}

export const NO_NAMES: Names = {
  tags: [],
  lists: [],
  segments: [],
  fields: [],
  scores: [],
  rungs: [],
  messages: [],
  journeys: []
};

export type ReadCondition = { condition: Condition } | { problem: string };

interface Token {
  text: string;
  /** In quotation marks: a name or value, whatever it says. */
  quoted: boolean;
}

const TOKEN = /"([^"]*)"?|“([^”]*)”?|([()])|(<=|>=|!=|<>|[<>=])|([^\s()<>=!"“”]+)/gu;

function tokens(text: string): Token[] {
  return [...text.matchAll(TOKEN)].map((m) => {
    const said = m[1] ?? m[2];
    return said === undefined ? { text: m[0], quoted: false } : { text: said, quoted: true };
  });
}

/** How deep parentheses may stand in each other: more than anybody can read. */
const DEEPEST = 20;

class Unread extends Error {}

/** What each act with a message is typed as. */
const ACTS: Record<string, (typeof MESSAGE_HAPPENINGS)[number]> = {
  ...Object.fromEntries(MESSAGE_HAPPENINGS.map((h) => [h, h])),
  answered: 'replied',
  open: 'opened',
  click: 'clicked',
  reply: 'replied',
  answer: 'replied',
  receive: 'delivered',
  received: 'delivered'
};

const JOINS = new Set(['and', 'or', ')', ',']);

class Reader {
  private at = 0;
  private depth = 0;

  constructor(
    private readonly all: Token[],
    private readonly names: Names
  ) {}

  whole(): Condition {
    const condition = this.any();
    const rest = this.peek();
    if (rest) throw new Unread(`“${rest.text}” is one too many: put “and” or “or” before another question`);
    return condition;
  }

  private peek(ahead = 0): Token | undefined {
    return this.all[this.at + ahead];
  }

  private is(word: string, ahead = 0): boolean {
    const t = this.peek(ahead);
    return t !== undefined && !t.quoted && t.text.toLowerCase() === word;
  }

  /** Goes past words, if they stand here. */
  private take(...words: string[]): boolean {
    if (!words.every((w, i) => this.is(w, i))) return false;
    this.at += words.length;
    return true;
  }

  private any(): Condition {
    const parts = [this.every()];
    while (this.take('or')) parts.push(this.every());
    return parts.length === 1 && parts[0] ? parts[0] : { any: parts };
  }

  private every(): Condition {
    const parts = [this.one()];
    while (this.take('and')) parts.push(this.one());
    return parts.length === 1 && parts[0] ? parts[0] : { all: parts };
  }

  private one(): Condition {
    if (this.take('not')) return this.deeper(() => ({ not: this.one() }));
    if (this.take('(')) {
      const inner = this.deeper(() => this.any());
      if (!this.take(')')) throw new Unread('a parenthesis is not closed: type )');
      return inner;
    }
    return this.question();
  }

  private deeper(read: () => Condition): Condition {
    if (++this.depth > DEEPEST) throw new Unread(`more than ${DEEPEST} parentheses stand in each other`);
    const found = read();
    this.depth--;
    return found;
  }

  private question(): Condition {
    const token = this.peek();
    if (!token) throw new Unread('a question is missing: type one such as tag is keen');
    if (!token.quoted) {
      this.take('has');
      if (this.take('no')) return { not: this.labelled() };
      if (this.is('did', 0) && this.is('not', 1)) {
        this.at += 2;
        return { not: this.act() };
      }
      if (this.is('tag') || this.is('list') || this.is('segment') || this.is('consent')) return this.labelled();
      if (this.take('is', 'on', 'list') || this.take('on', 'list'))
        return { list: this.name(this.names.lists, 'list') };
      if (this.take('in', 'segment')) return { segment: this.name(this.names.segments, 'segment') };
      if (this.take('in', 'journey') || this.take('walking'))
        return { walking: this.keyed(this.names.journeys, 'journey') };
      if (this.take('rung')) return this.turned(() => ({ rung: this.name(this.names.rungs, 'rung') }));
      if (this.take('score')) return this.score();
      if (this.take('spent')) return this.counted('spent');
      if (this.take('orders')) return this.counted('orders');
      if (this.take('field')) return this.field();
      if (ACTS[token.text.toLowerCase()] && !this.isKnownField(token.text)) return this.act();
    }
    return this.field();
  }

  private isKnownField = (name: string): boolean => this.names.fields.includes(name);

  /** tag, list, segment or consent. */
  private labelled(): Condition {
    if (this.take('tag')) return this.turned(() => ({ tag: this.name(this.names.tags, 'tag') }));
    if (this.take('list')) return this.turned(() => ({ list: this.name(this.names.lists, 'list') }));
    if (this.take('segment')) return this.turned(() => ({ segment: this.name(this.names.segments, 'segment') }));
    if (!this.take('consent')) throw new Unread(`“${this.peek()?.text ?? ''}”: expected tag, list, segment or consent`);
    return this.turned(() => {
      this.take('for');
      if (this.take('email')) return { consent: 'email' };
      if (this.take('text') || this.take('sms')) return { consent: 'sms' };
      throw new Unread('consent for what? Type email or text');
    });
  }

  /** Behind "is", "is not", "=" or nothing. */
  private turned(read: () => Condition): Condition {
    if (this.take('!=') || this.take('<>') || this.take('is', 'not')) return { not: read() };
    if (this.take('not')) return { not: read() };
    if (!this.take('is')) this.take('=');
    return read();
  }

  /** A name of one word, of several up to the next "and", or in quotation marks; begun only, where one known begins so. */
  private name(known: readonly string[], what: string): string {
    const words = this.words();
    if (words === '') throw new Unread(`which ${what}? Type its name`);
    const typed = words.toLowerCase();
    const same = known.find((k) => k.toLowerCase() === typed);
    if (same !== undefined) return same;
    const begun = known.filter((k) => k.toLowerCase().startsWith(typed));
    return begun.length === 1 && begun[0] !== undefined ? begun[0] : words;
  }

  private keyed(known: Names['journeys'], what: string): string {
    const words = this.words().toLowerCase();
    if (words === '') throw new Unread(`which ${what}? Type its name`);
    const found =
      known.find((k) => k.key === words || k.name.toLowerCase() === words) ??
      known.find((k) => k.name.toLowerCase().startsWith(words) || k.key.startsWith(words));
    if (found) return found.key;
    throw new Unread(`there is no ${what} “${words}” here`);
  }

  private words(...until: string[]): string {
    const first = this.peek();
    if (first?.quoted) {
      this.at++;
      return first.text;
    }
    const found: string[] = [];
    for (let t = this.peek(); t && !t.quoted; t = this.peek()) {
      const low = t.text.toLowerCase();
      if (JOINS.has(low) || until.includes(low) || /^[<>=!]/.test(t.text)) break;
      if (until.length && low === 'in' && (this.is('the', 1) || this.is('last', 1))) break;
      found.push(t.text);
      this.at++;
    }
    return found.join(' ');
  }

  private act(): Condition {
    const did = ACTS[this.peek()?.text.toLowerCase() ?? ''];
    if (!did) throw new Unread(`“${this.peek()?.text ?? ''}”: expected what they did, such as opened or clicked`);
    this.at++;
    const last = this.inTheLast();
    if (last !== null) return { did, last };
    const any =
      !this.peek() || JOINS.has(this.peek()?.text.toLowerCase() ?? '') || this.take('any') || this.take('anything');
    if (any) return { did, ...this.lately() };
    return { did, of: this.keyed(this.names.messages, 'message') };
  }

  private lately(): { last?: string } {
    const last = this.inTheLast();
    return last === null ? {} : { last };
  }

  /** "in the last 30d", "in last 1 year", "last 3d". */
  private inTheLast(): string | null {
    const from = this.at;
    this.take('in');
    this.take('the');
    if (!this.take('last')) {
      this.at = from;
      return null;
    }
    return this.length();
  }

  private length(): string {
    const first = this.peek()?.text ?? '';
    const second = this.peek(1)?.text ?? '';
    const two = typedDuration(`${first} ${second}`);
    if (/^\d+$/.test(first) && two) {
      this.at += 2;
      return two;
    }
    const one = typedDuration(first) ?? typedDuration(`1 ${first}`);
    if (!one) throw new Unread('how long? Type a length such as 30d or 1 year');
    this.at++;
    return one;
  }

  private score(): Condition {
    const score = this.name(this.names.scores, 'score');
    return { score, ...this.numbers('score') } as Condition;
  }

  private counted(what: 'spent' | 'orders'): Condition {
    const compared = this.numbers(what);
    return { [what]: compared, ...this.lately() } as Condition;
  }

  /** `> 5`, `at least 5`, `is 5`. */
  private numbers(what: string): Comparison {
    const sign = this.sign();
    const value = Number(this.peek()?.text.replace(',', '.') ?? NaN);
    if (sign === null || !Number.isFinite(value)) throw new Unread(`${what} how much? Type a comparison such as > 5`);
    this.at++;
    return { [sign]: value };
  }

  private sign(): 'gt' | 'gte' | 'lt' | 'lte' | 'is' | 'not' | null {
    if (this.take('>=') || this.take('at', 'least') || this.take('is', 'at', 'least')) return 'gte';
    if (this.take('<=') || this.take('at', 'most') || this.take('is', 'at', 'most')) return 'lte';
    if (
      this.take('>') ||
      this.take('above') ||
      this.take('over') ||
      this.take('is', 'above') ||
      this.take('more', 'than')
    )
      return 'gt';
    if (
      this.take('<') ||
      this.take('below') ||
      this.take('under') ||
      this.take('is', 'below') ||
      this.take('less', 'than')
    )
      return 'lt';
    if (this.take('!=') || this.take('<>') || this.take('is', 'not')) return 'not';
    if (this.take('=') || this.take('is')) return 'is';
    return null;
  }

  private field(): Condition {
    const field = this.fieldName();
    const more = this.comparison(field);
    return { field, ...more } as Condition;
  }

  private fieldName(): string {
    const first = this.peek();
    if (!first) throw new Unread('which field? Type its name');
    const name = first.quoted
      ? this.words()
      : this.words(
          'is',
          'has',
          'contains',
          'begins',
          'starts',
          'before',
          'after',
          'at',
          'above',
          'below',
          'over',
          'under',
          'one',
          'includes',
          'in',
          'not',
          'more',
          'less'
        );
    const typed = name.toLowerCase().replace(/\s+/g, '_');
    const same = this.names.fields.find((f) => f.toLowerCase() === typed || f.toLowerCase() === name.toLowerCase());
    if (same !== undefined) return same;
    const begun = this.names.fields.filter((f) => f.toLowerCase().startsWith(typed));
    if (begun.length === 1 && begun[0] !== undefined) return begun[0];
    if (name === '') throw new Unread(`“${first.text}” is no question: type one such as tag is keen`);
    return name.replace(/\s+/g, '_');
  }

  private comparison(field: string): Comparison {
    if (this.take('is', 'set') || this.take('has', 'a', 'value')) return { set: true };
    if (
      this.take('is', 'empty') ||
      this.take('is', 'not', 'set') ||
      this.take('has', 'none') ||
      this.take('has', 'no', 'value')
    )
      return { set: false };
    if (this.take('is', 'today')) return { dayIs: true };
    if (this.take('contains')) return { contains: this.value('contains') };
    if (this.take('begins', 'with') || this.take('starts', 'with')) return { startsWith: this.value('begins with') };
    if (this.take('includes') || this.take('has')) return { has: this.value('includes') };
    if (this.take('is', 'one', 'of') || this.take('one', 'of')) return { in: this.values() };
    if (this.take('is', 'none', 'of')) return { notIn: this.values() };
    if (this.take('is', 'before') || this.take('before')) return { before: this.date() };
    if (this.take('is', 'after') || this.take('after')) return { after: this.date() };
    const next = this.at;
    this.take('is');
    if (this.take('within') || this.take('in')) {
      this.take('the');
      if (this.take('last')) return { last: this.length() };
      if (this.take('next')) return { next: this.length() };
    }
    this.at = next;
    const sign = this.sign();
    if (sign === null) throw new Unread(`${field} compared how? Type is, contains, >, before, is set …`);
    const token = this.peek();
    const value = this.value(sign);
    const number = Number(value.replace(',', '.'));
    const numeric = token?.quoted !== true && value.trim() !== '' && Number.isFinite(number);
    if (sign === 'is' || sign === 'not') {
      if (token?.quoted !== true && (value === 'yes' || value === 'true')) return { [sign]: true };
      if (token?.quoted !== true && (value === 'no' || value === 'false')) return { [sign]: false };
      return { [sign]: numeric ? number : value };
    }
    if (numeric) return { [sign]: number };
    if (parseDate(value) !== null && (sign === 'gt' || sign === 'lt'))
      return sign === 'gt' ? { after: value } : { before: value };
    throw new Unread(`${field} ${sign.startsWith('g') ? 'above' : 'below'} what? Type a number`);
  }

  private value(after: string): string {
    const quoted = this.peek()?.quoted;
    const words = this.words();
    if (words === '' && !quoted) throw new Unread(`a value is missing behind “${after === 'is' ? 'is' : after}”`);
    return words;
  }

  /** `Perth, Cork or "Baile Átha Cliath"`, also in parentheses. */
  private values(): string[] {
    const inside = this.take('(');
    const found: string[] = [];
    for (let t = this.peek(); t; t = this.peek()) {
      if (!t.quoted && (t.text === ')' || t.text.toLowerCase() === 'and' || (!inside && t.text.toLowerCase() === 'or')))
        break;
      this.at++;
      if (t.quoted) found.push(t.text);
      else if (t.text.toLowerCase() !== 'or') found.push(...t.text.split(',').filter(Boolean));
    }
    if (inside && !this.take(')')) throw new Unread('a parenthesis is not closed: type )');
    if (!found.length) throw new Unread('values are missing: type them with commas between them');
    return found;
  }

  private date(): string {
    const text = this.value('before or after');
    if (parseDate(text) === null) throw new Unread(`“${text}” is no date: type one such as 2027-03-01`);
    return text;
  }
}

/** Reads a condition that somebody types. */
export function readCondition(text: string, names: Names = NO_NAMES): ReadCondition {
  const all = tokens(text);
  if (!all.length) return { problem: 'type a question such as tag is keen' };
  if (all.length > 500) return { problem: 'this is too long to be typed: build it from parts' };
  try {
    return { condition: new Reader(all, names).whole() };
  } catch (error) {
    if (error instanceof Unread) return { problem: error.message };
    throw error;
  }
}

/** What could stand behind what is typed so far, as whole texts: names that are begun, and ways to ask. */
export function offered(text: string, names: Names, most = 8): string[] {
  const split = /^(.*?)(\S*)$/su.exec(text);
  const [before = '', begun = ''] = [split?.[1], split?.[2]];
  const low = before.toLowerCase();
  const typed = begun.toLowerCase();
  const behind = (words: string): boolean => new RegExp(`(?:^|[\\s(])${words}\\s+$`).test(low);
  const quoted = (name: string): string => (/^[^\s()<>=!"“”,]+$/u.test(name) ? name : `"${name}"`);
  const of = (list: readonly string[]): string[] => list.map(quoted);
  const is = '(?:\\s+(?:is(?:\\s+not)?|=|!=))?';
  const choices = behind(`tag${is}`)
    ? of(names.tags)
    : behind(`list${is}`)
      ? of(names.lists)
      : behind(`segment${is}`)
        ? of(names.segments)
        : behind(`rung${is}`)
          ? of(names.rungs)
          : behind('score')
            ? of(names.scores)
            : behind(`consent${is}`) || behind('consent for')
              ? ['email', 'text']
              : behind('(?:opened|clicked|replied|answered|sent|delivered|did not (?:open|click|reply|answer))')
                ? names.messages.map((m) => quoted(m.name))
                : behind('in journey')
                  ? names.journeys.map((j) => quoted(j.name))
                  : /(?:^|\b(?:and|or|not)\s+|\()\s*$/.test(low)
                    ? [
                        'tag is',
                        'list is',
                        'segment is',
                        'consent',
                        'rung is',
                        'score',
                        'spent',
                        'orders',
                        'opened',
                        'clicked',
                        'in journey',
                        ...of(names.fields)
                      ]
                    : [];
  return choices
    .filter((c) => c.toLowerCase().replace(/^"/, '').startsWith(typed.replace(/^"/, '')) && c !== begun)
    .slice(0, most)
    .map((c) => before + c);
}
