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
