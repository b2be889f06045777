/**
 * Happening filters: `{ "happening": NAME, …filters }`, their schema and their
 * matching. Rules: docs/journey-language.md, "Happenings".
 */
import { z } from 'zod';
import {
  amountSchema,
  comparisonSchema,
  compileAmount,
  compileComparison,
  MOST_VALUES,
  sameValue,
  type Comparison
} from './comparison.ts';
import { keyText } from '../journey/values.ts';
import { LONGEST, naming, plainText } from '../text/text.ts';
import { answerForm, answers } from '../message/answer.ts';
import { parseAmount } from '../person/amount.ts';
import type { Happening } from '../person/happening.ts';
import { CHANNELS, type Channel } from '../person/values.ts';
import type { Amounts } from './comparison.ts';
import type { Walk } from '../walk/walk.ts';

export const channel = z.enum(CHANNELS);

/** Happenings that are about one message. */
export const MESSAGE_HAPPENINGS = [
  'sent',
  'delivered',
  'opened',
  'clicked',
  'replied',
  'bounced',
  'failed',
  'unsubscribed',
  'complained'
] as const;

/** What a filter can ask; which keys fit which happening stands in {@link FILTERS}. */
export interface Filters {
  of?: string | undefined;
  journey?: string | undefined;
  channel?: Channel | undefined;
  link?: string | undefined;
  matches?: string[] | undefined;
  hard?: boolean | undefined;
  machine?: true | 'any' | undefined;
  product?: string | undefined;
  category?: string | undefined;
  coupon?: string | undefined;
  amount?: Amounts | undefined;
  same?: true | undefined;
  form?: string | undefined;
  url?: string | undefined;
  where?: Record<string, Comparison> | undefined;
  tag?: string | undefined;
  list?: string | undefined;
  segment?: string | undefined;
  field?: string | undefined;
  to?: string | number | boolean | undefined;
  from?: string | undefined;
  score?: string | undefined;
  points?: number | undefined;
  ladder?: string | undefined;
  outcome?: string | undefined;
  as?: 'finished' | 'goal' | 'early' | 'stopped' | undefined;
  reason?: string | undefined;
  name?: string | undefined;
}

const stepKey = keyText;
const answer = plainText().refine((text) => answerForm(text) !== '', { error: 'expected an answer that is not empty' });

const message = {
  of: stepKey.optional(),
  journey: stepKey.optional(),
  channel: channel.optional(),
  machine: z.union([z.literal(true), z.literal('any')]).optional()
};
const bought = {
  product: plainText(LONGEST.name).optional(),
  category: plainText(LONGEST.name).optional(),
  coupon: plainText(LONGEST.name).optional(),
  amount: amountSchema.optional(),
  same: z.literal(true).optional()
};
const answered = { where: z.record(plainText(LONGEST.name), comparisonSchema).optional() };

/** The filters of each happening. */
export const FILTERS = {
  sent: message,
  delivered: message,
  opened: message,
  clicked: { ...message, link: plainText(LONGEST.url).optional() },
  replied: { ...message, matches: z.array(answer).min(1).max(MOST_VALUES).optional() },
  bounced: { ...message, hard: z.boolean().optional() },
  failed: message,
  unsubscribed: message,
  complained: message,
  purchased: bought,
  refunded: bought,
  cart_left: bought,
  form_sent: { form: plainText(LONGEST.name).optional(), ...answered },
  page_seen: { url: plainText(LONGEST.url).optional() },
  tag_added: { tag: naming().optional() },
  tag_removed: { tag: naming().optional() },
  list_joined: { list: naming().optional() },
  list_left: { list: naming().optional() },
  segment_joined: { segment: naming().optional() },
  segment_left: { segment: naming().optional() },
  field_changed: {
    field: naming(LONGEST.name).optional(),
    to: z.union([plainText(), z.number(), z.boolean()]).optional()
  },
  consent_changed: { channel: channel.optional(), to: z.enum(['given', 'pending', 'withdrawn']).optional() },
  score_reached: { score: naming(), points: z.number() },
  rung_changed: { ladder: naming().optional(), to: naming().optional(), from: naming().optional() },
  task_done: { of: stepKey.optional(), journey: stepKey.optional(), outcome: plainText(LONGEST.name).optional() },
  entered: { journey: stepKey.optional() },
  goal_reached: { journey: stepKey.optional() },
  left: {
    journey: stepKey.optional(),
    as: z.enum(['finished', 'goal', 'early', 'stopped']).optional(),
    reason: plainText(LONGEST.name).optional()
  },
  custom: { name: naming(LONGEST.name), same: z.literal(true).optional(), ...answered }
} satisfies Record<string, z.ZodRawShape>;

export type HappeningName = keyof typeof FILTERS;
export const HAPPENING_NAMES = Object.keys(FILTERS) as HappeningName[];

export type HappeningFilter = { happening: HappeningName } & Filters;

/** `journey` beside a message's or task's filters says whose message it is, so it needs one. */
const NEEDS_OF = { error: 'expected "of" beside "journey": which message of that journey', path: ['journey'] };
const MESSAGES = new Set<string>([...MESSAGE_HAPPENINGS, 'task_done']);

/** One form for each happening, under a key of the caller's choice (`happening`, `did`, `came`), with more keys beside it. */
export function filterForms(key: string, more: z.ZodRawShape = {}): [z.ZodObject, ...z.ZodObject[]] {
  const forms = HAPPENING_NAMES.map((happening) => {
    const form = z.strictObject({ [key]: z.literal(happening), ...FILTERS[happening], ...more });
    return MESSAGES.has(happening)
      ? form.refine((f: Filters) => f.journey === undefined || f.of !== undefined, NEEDS_OF)
      : form;
  });
  return forms as unknown as [z.ZodObject, ...z.ZodObject[]];
}

/** A happening filter. */
export const happeningSchema = z.discriminatedUnion(
  'happening',
  filterForms('happening')
) as unknown as z.ZodType<HappeningFilter>;

/** Whether a happening meets a filter; `walk` is the walk that asks, where one does, `zone` the one that days are counted in. */
export type Matcher = (h: Happening, walk: Walk | null, zone: string) => boolean;

/** What began the walk, for `same`: the same order, cart or reference. */
function sameAsEntry(h: Happening, walk: Walk | null): boolean {
  const entry = walk?.entry;
  if (!entry) return false;
  return (['order', 'cart', 'ref'] as const).some((key) => h[key] !== undefined && h[key] === entry[key]);
}

/**
 * `*` matches any run of characters; everything else itself. Each piece between two is taken where it first
 * fits, which never has to be taken back: an address made for it cannot make this slow, as it could a regular expression.
 */
function urlTest(pattern: string): (url: string) => boolean {
  const [start = '', ...pieces] = pattern.split('*');
  const end = pieces.pop();
  if (end === undefined) return (url) => url === start;
  return (url) => {
    if (url.length < start.length + end.length || !url.startsWith(start) || !url.endsWith(end)) return false;
    const last = url.length - end.length;
    let from = start.length;
    for (const piece of pieces) {
      const found = url.indexOf(piece, from);
      if (found < 0 || found + piece.length > last) return false;
      from = found + piece.length;
    }
    return true;
  };
}

type Tests = Matcher[];

/** Filters that ask one thing of a happening, each by its key. */
const PLAIN: { [K in keyof Filters]?: keyof Happening } = {
  channel: 'channel',
  link: 'link',
  coupon: 'coupon',
  form: 'form',
  tag: 'tag',
  list: 'list',
  segment: 'segment',
  field: 'field',
  from: 'from',
  ladder: 'ladder',
  outcome: 'outcome',
  as: 'as',
  reason: 'reason',
  name: 'custom'
};

/**
 * Compiles a filter of a journey (`own`; empty for the settings, which know none). With a walk, `of` means that walk's
 * own message; without one (an entry), any walk's.
 */
export function compileFilter(filter: HappeningFilter, own: string): Matcher {
  const { happening, of, machine, matches, product, category, amount, url, where, to, score, points } = filter;
  const tests: Tests = [];
  if (machine === undefined) tests.push((h) => !h.machine);
  else if (machine === true) tests.push((h) => h.machine === true);
  for (const [key, from] of Object.entries(PLAIN)) {
    const wanted = filter[key as keyof Filters];
    if (wanted !== undefined) tests.push((h) => h[from] === wanted);
  }
  if (filter.hard !== undefined) {
    const hard = filter.hard;
    tests.push((h) => (h.hard ?? false) === hard);
  }
  if (of !== undefined) {
    const journey = filter.journey ?? own;
    tests.push((h) => h.about?.step === of && h.about.journey === journey);
    if (journey === own) tests.push((h, walk) => walk?.journey !== own || h.about?.walk === walk.id);
  } else if (filter.journey !== undefined) {
    const journey = filter.journey;
    tests.push((h) => h.journey === journey);
  }
  if (matches) {
    const wanted = matches.map(answerForm);
    tests.push((h) => answers(h.text ?? '', wanted));
  }
  if (product !== undefined || category !== undefined) {
    tests.push((h) =>
      (h.items ?? []).some(
        (line) =>
          (product === undefined || line.sku === product) && (category === undefined || line.category === category)
      )
    );
  }
  if (amount) {
    const test = compileAmount(amount);
    tests.push((h) => test(h.amount === undefined ? undefined : (parseAmount(h.amount) ?? undefined)));
  }
  if (filter.same) tests.push(sameAsEntry);
  if (url !== undefined) {
    const fits = urlTest(url);
    tests.push((h) => fits(h.url ?? ''));
  }
  if (where) {
    const asked = Object.entries(where).map(([key, c]) => ({ key, test: compileComparison(c) }));
    tests.push((h, _walk, zone) =>
      asked.every(({ key, test }) => {
        const found = h.data && Object.hasOwn(h.data, key) ? h.data[key] : undefined;
        return test(found === null ? undefined : (found as Parameters<typeof test>[0]), h.at, zone);
      })
    );
  }
  if (to !== undefined) tests.push((h) => h.to !== undefined && sameValue(h.to, to));
  if (happening === 'score_reached') {
    tests.push((h) => h.score === score && (h.before ?? 0) < (points ?? 0) && (h.points ?? 0) >= (points ?? 0));
  }
  return (h, walk, zone) => h.name === happening && tests.every((test) => test(h, walk, zone));
}
