/**
 * Personal fields in messages: Liquid over `person`, `entry`, `journey` and
 * `links`. Values are text and are never read as Liquid again, whatever they
 * contain. Loops and includes are bounded, because a template is input.
 */
import type { PersonState } from '../person/state.ts';
import type { Walk } from '../walk/walk.ts';
import { Context, Liquid, toValueSync, type Template } from 'liquidjs';
import { markLinks, readMarked, unmarked, type Part } from './links.ts';

export interface MessageScope {
  person: Record<string, unknown>;
  /** The data of what began the walk: an order, a form, a cart. */
  entry?: Record<string, unknown>;
  journey: { name: string };
  links: { unsubscribe: string; preferences?: string; view?: string };
}

/** What the engine keeps of a happening for itself, and no message shows. */
const OWN = new Set(['record', 'cause', 'about', 'machine']);

/** What began a walk, as messages see it: a form's answers beside the rest. */
export function entryScope(entry: Walk['entry'] | null): Record<string, unknown> {
  const { data, ...began } = entry ?? {};
  return { ...Object.fromEntries(Object.entries(began).filter(([key]) => !OWN.has(key))), ...data, data };
}

/** What a message of a walk is filled in with: the person's fields, and what began the walk (a form's answers beside it). */
export function scopeOf(
  person: PersonState,
  walk: Pick<Walk, 'entry'>,
  journeyName: string,
  links: MessageScope['links']
): MessageScope {
  return {
    person: Object.fromEntries(person.fields),
    entry: entryScope(walk.entry),
    journey: { name: journeyName },
    links
  };
}

const engine = new Liquid({
  ownPropertyOnly: true,
  strictFilters: true,
  // No files: a template cannot include anything.
  templates: {},
  parseLimit: 200_000,
  renderLimit: 300,
  memoryLimit: 2_000_000,
  // What a field brings cannot pass for the mark of a link.
  outputEscape: (value: unknown) => (typeof value === 'string' ? unmarked(value) : value) as string
});

/*
 * Filters that evaluate an expression for each element do so without asking how long they have been at it: a few of them inside each
 * other hold whoever fills in for ever. They are none of ours.
 */
for (const name of Object.keys(engine.filters)) if (name.endsWith('_exp')) Reflect.deleteProperty(engine.filters, name);

/** What takes no longer than what it prints is long: nothing is gone through, put together or kept. */
const PLAIN_TAGS = new Set([
  'if',
  'elsif',
  'else',
  'endif',
  'unless',
  'endunless',
  'case',
  'when',
  'endcase',
  'comment',
  'endcomment'
]);
const PLAIN_FILTERS = new Set([
  ...[
    'default',
    'capitalize',
    'upcase',
    'downcase',
    'strip',
    'lstrip',
    'rstrip',
    'escape',
    'escape_once',
    'date',
    'truncate'
  ],
  ...[
    'plus',
    'minus',
    'times',
    'divided_by',
    'modulo',
    'round',
    'ceil',
    'floor',
    'abs',
    'at_least',
    'at_most',
    'size',
    'first',
    'last'
  ]
]);

/**
 * Whether a template can be filled in where it is read: its cost grows with its length alone. All others are filled in by a thread
 * that is ended at its limit (server/mail/fill.ts). Errs towards the thread.
 */
export const isPlainTemplate = (template: string): boolean =>
  template.length <= 20_000 &&
  [...template.matchAll(/\{%-?\s*(\w*)/g)].every(([, tag = '']) => PLAIN_TAGS.has(tag)) &&
  [...template.matchAll(/\|\s*(\w*)/g)].every(([, filter = '']) => PLAIN_FILTERS.has(filter));

/** The longest text that a template may come to, in UTF-16 units. */
export const MOST_OUTPUT = 200_000;

/** Takes what a template prints, up to {@link MOST_OUTPUT}. */
class Bounded {
  buffer = '';
  write(piece: unknown): void {
    this.buffer +=
      piece === null || piece === undefined ? '' : Array.isArray(piece) ? piece.join('') : String(piece as string);
    if (this.buffer.length > MOST_OUTPUT)
      throw new Error(`it comes to more than ${MOST_OUTPUT.toLocaleString('en')} characters`);
  }
}

const parsed = new Map<string, Template[]>();
const KEPT = 2000;

function parse(template: string): Template[] {
  let found = parsed.get(template);
  if (!found) {
    found = engine.parse(template);
    if (parsed.size >= KEPT) parsed.clear();
    parsed.set(template, found);
  }
  return found;
}

/**
 * Fills a template in; throws where it is not Liquid, takes too long or comes to too much, with Liquid's own message.
 * Bounded in time (300 ms) and in length.
 */
export function fillIn(template: string, scope: MessageScope): string {
  const context = new Context(scope, engine.options, { sync: true });
  return String(toValueSync(engine.renderer.renderTemplates(parse(template), context, new Bounded())) as string);
}

/** A template's text, filled in: its words, and the links that stand in the template. */
export function fillInParts(template: string, scope: MessageScope): Part[] {
  return readMarked(fillIn(markLinks(template), scope));
}

/** What is wrong with a template, in words; `null` where it can be filled in. */
export function templateProblem(template: string): string | null {
  try {
    engine.parse(template);
    return null;
  } catch (error) {
    return (error as Error).message.split('\n')[0] ?? 'it cannot be read';
  }
}
