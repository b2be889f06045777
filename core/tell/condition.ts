/** Conditions, goals and ways in, in words. */
import { own } from '../own.ts';
import type { Comparison } from '../condition/comparison.ts';
import type { Filters, HappeningFilter, HappeningName } from '../condition/happening.ts';
import { isHappening, type Condition, type Reason, type WayIn } from '../condition/schema.ts';
import type { Entry } from '../journey/schema.ts';
import { and, durationWords, or, ordinal } from './words.ts';

/** Finds the title of a step by its key. */
export type Naming = (key: string) => string;

/** What someone did or what happened to them: done, not done, and as something that lets people in or ends a wait. */
const DID: Record<HappeningName, [did: string, didNot: string, does: string]> = {
  sent: ['were sent', 'were not sent', 'are sent'],
  delivered: ['received', 'did not receive', 'receive'],
  opened: ['opened', 'did not open', 'open'],
  clicked: ['followed a link of', 'followed no link of', 'follow a link of'],
  replied: ['answered', 'did not answer', 'answer'],
  bounced: ['bounced on', 'did not bounce on', 'bounce on'],
  failed: ['could not be sent', 'had no failure of', 'cannot be sent'],
  unsubscribed: ['unsubscribed from', 'did not unsubscribe from', 'unsubscribe from'],
  complained: ['complained about', 'did not complain about', 'complain about'],
  purchased: ['bought', 'did not buy', 'buy'],
  refunded: ['gave back', 'did not give back', 'give back'],
  cart_left: ['left a cart with', 'left no cart with', 'leave a cart with'],
  form_sent: ['sent the form', 'did not send the form', 'send the form'],
  page_seen: ['saw the page', 'did not see the page', 'see the page'],
  tag_added: ['got the tag', 'did not get the tag', 'get the tag'],
  tag_removed: ['lost the tag', 'did not lose the tag', 'lose the tag'],
  list_joined: ['joined the list', 'did not join the list', 'join the list'],
  list_left: ['left the list', 'did not leave the list', 'leave the list'],
  segment_joined: ['joined the segment', 'did not join the segment', 'join the segment'],
  segment_left: ['left the segment', 'did not leave the segment', 'leave the segment'],
  field_changed: ['changed the field', 'did not change the field', 'change the field'],
  consent_changed: ['changed their consent for', 'did not change their consent for', 'change their consent for'],
  score_reached: ['reached', 'did not reach', 'reach'],
  rung_changed: ['came to the rung', 'did not come to the rung', 'come to the rung'],
  task_done: ['had done for them', 'did not have done for them', 'have done for them'],
  entered: ['entered', 'did not enter', 'enter'],
  goal_reached: ['reached the goal of', 'did not reach the goal of', 'reach the goal of'],
  left: ['left', 'did not leave', 'leave'],
  custom: ['did', 'did not do', 'do']
};

const CHANNEL = { email: 'email', sms: 'text' };
const ANY: Partial<Record<HappeningName, string>> = {
  purchased: 'something',
  refunded: 'something',
  cart_left: 'something',
  form_sent: 'of any name',
  page_seen: 'of any address',
  task_done: 'a task'
};

/** What a happening is about: the message, the tag, the product. */
function object(name: HappeningName, f: Filters, title: Naming): string {
  if (f.of !== undefined) return f.of ? title(f.of) : '…';
  if (name === 'score_reached') return `${f.points} points of ${f.score}`;
  const named =
    f.tag ?? f.list ?? f.segment ?? f.field ?? f.product ?? f.category ?? f.form ?? f.url ?? f.name ?? f.journey;
  if (named !== undefined) return named || '…';
  if (name === 'rung_changed') return typeof f.to === 'string' ? f.to : 'of any name';
  if (f.channel !== undefined) return `any ${CHANNEL[f.channel]}`;
  return (
    own(ANY, name) ??
    (/_/.test(name) ? 'of any name' : /^(entered|left|goal)/.test(name) ? 'any journey' : 'any message')
  );
}

function more(f: Filters): string {
  const parts = [
    f.link ? ` (${f.link})` : '',
    f.matches ? ` with ${or(f.matches.map((m) => `“${m}”`))}` : '',
    f.to !== undefined && f.field !== undefined ? ` to ${String(f.to)}` : '',
    f.same ? ' (the one that began this)' : ''
  ];
  return parts.join('');
}

/** "opened Thank you and have the tag keen". */
export function conditionWords(condition: Condition, name: Naming): string {
  return words(condition, name, false);
}

const COMPARED: Partial<Record<keyof Comparison, [string, string]>> = {
  is: ['is', 'is not'],
  not: ['is not', 'is'],
  in: ['is one of', 'is none of'],
  notIn: ['is none of', 'is one of'],
  contains: ['contains', 'does not contain'],
  startsWith: ['begins with', 'does not begin with'],
  gt: ['is above', 'is not above'],
  gte: ['is at least', 'is below'],
  lt: ['is below', 'is at least'],
  lte: ['is at most', 'is above'],
  before: ['is before', 'is not before'],
  after: ['is after', 'is not after'],
  has: ['includes', 'does not include'],
  hasAll: ['includes all of', 'does not include all of'],
  hasNone: ['includes none of', 'includes some of']
};

/** "is at least 5 and is below 9". */
function comparison(c: Comparison, negated: boolean): string {
  const parts = Object.entries(c).flatMap(([key, v]): string[] => {
    if (v === undefined || key === 'set') return [];
    if (key === 'dayIs') return [negated ? 'is not today' : 'is today'];
    if (key === 'last' || key === 'next')
      return [`is ${negated ? 'not ' : ''}within the ${key} ${durationWords(String(v))}`];
    const [yes, no] = COMPARED[key as keyof Comparison] ?? [key, `not ${key}`];
    return [`${negated ? no : yes} ${[v].flat().join(', ')}`];
  });
  return parts.join(negated ? ' or ' : ' and ');
}

function fieldWords(field: string, c: Comparison, negated: boolean): string {
  const named = field || '…';
  const parts: string[] = [];
  if (c.set !== undefined) parts.push(c.set !== negated ? `have a ${named}` : `have no ${named}`);
  const rest = comparison(c, negated);
  if (rest) parts.push(...rest.split(negated ? ' or ' : ' and ').map((part) => `whose ${named} ${part}`));
  return parts.join(negated ? ' or ' : ' and ');
}

/** " in the last 30 days, since they entered" */
const period = ({ last, since }: { last?: string | undefined; since?: string | undefined }): string =>
  [last ? ` in the last ${durationWords(last)}` : '', since ? ' since they entered' : ''].filter(Boolean).join(',');

function words(condition: Condition, name: Naming, negated: boolean): string {
  const turned = (yes: string, no: string): string => (negated ? no : yes);
  if ('all' in condition || 'any' in condition) {
    const parts = ('all' in condition ? condition.all : condition.any).map((c) => words(c, name, negated));
    // "Not (a and b)" is "not a, or not b".
    const link = 'all' in condition !== negated ? 'and' : 'or';
    return parts.length > 1 ? parts.join(` ${link} `) : (parts[0] ?? '');
  }
  if ('did' in condition) {
    const [yes, no] = DID[condition.did];
    const times = condition.times ? `, a number of times that ${comparison(condition.times as Comparison, false)}` : '';
    return `${turned(yes, no)} ${object(condition.did, condition, name)}${more(condition)}${period(condition)}${times}`;
  }
  if ('came' in condition) return `${turned('came', 'did not come')} in by ${wayWords(condition.came)}`;
  if ('field' in condition) {
    const { field, ...c } = condition;
    return fieldWords(field, c, negated);
  }
  if ('score' in condition) {
    const { score, ...c } = condition;
    return `whose points of ${score || '…'} ${comparison(c as Comparison, negated)}`;
  }
  if ('not' in condition) return words(condition.not, name, !negated);
  if ('tag' in condition) return `${turned('have', 'do not have')} the tag ${condition.tag || '…'}`;
  if ('list' in condition) return `${turned('are', 'are not')} on the list ${condition.list || '…'}`;
  if ('segment' in condition) return `${turned('are', 'are not')} in the segment ${condition.segment || '…'}`;
  if ('consent' in condition) return `${turned('gave', 'gave no')} consent for ${CHANNEL[condition.consent]}`;
  if ('rung' in condition) return `${turned('are', 'are not')} ${or([condition.rung].flat())}`;
  if ('walking' in condition) return `${turned('are', 'are not')} in the journey ${condition.walking}`;
  const last = period(condition);
  const of = condition.product ?? condition.category;
  const what = of ? ` of ${of}` : '';
  return 'spent' in condition
    ? `whose spending${what}${last} ${comparison(condition.spent as Comparison, negated)}`
    : `whose number of orders${what}${last} ${comparison(condition.orders as Comparison, negated)}`;
}

const WAYS: Partial<Record<WayIn, string>> = {
  hand: 'hand',
  api: 'program',
  handover: 'hand-over',
  existing: 'being there already'
};
const wayWords = (way: WayIn): string => WAYS[way] ?? way.replace('_', ' ');

/** "follow a link of Member night", "buy membership". */
function happeningWords(h: HappeningFilter, name: Naming): string {
  return `${DID[h.happening][2]} ${object(h.happening, h, name)}${more(h)}`;
}

/** A goal or leave rule: "follow a link of Member night", "have the tag renewed". */
export function ruleWords(rule: Reason, name: Naming): string {
  if (Array.isArray(rule)) return or(rule.map((filter) => happeningWords(filter, name)));
  return isHappening(rule) ? happeningWords(rule, name) : conditionWords(rule, name);
}

const OFTEN: Record<NonNullable<Entry['again']>, string> = {
  once: 'once',
  again: 'again once they have left',
  restart: 'from the beginning each time',
  each: 'each time'
};

/** How often someone may get in: "once". */
export const oftenWords = (entry: Entry | undefined): string =>
  OFTEN[
    entry?.again ?? (entry?.timetable || (entry?.date && 'field' in entry.date && entry.date.yearly) ? 'again' : 'once')
  ];

/** A date that lets people in: "2 days before visit", "on 2027-05-01". */
function dateWords(date: NonNullable<Entry['date']>): string {
  const time = date.time === undefined ? '' : ` at ${date.time}`;
  if ('on' in date) return `on ${date.on}${time}`;
  const { offset, field, yearly } = date;
  const before = offset?.startsWith('-');
  const far =
    offset === undefined ? 'on' : `${durationWords(offset.replace(/^[+-]/, ''))} ${before ? 'before' : 'after'}`;
  return `${far} ${field}${yearly ? ', every year' : ''}${time}`;
}

/** A timetable that lets people in: "each Monday and Friday at 10:30". */
const timetableWords = (table: NonNullable<Entry['timetable']>): string =>
  'monthDay' in table
    ? `on the ${ordinal(table.monthDay)} of each month at ${table.time}`
    : `each ${and(table.weekdays.map((d) => WEEKDAY_NAMES[d]))} at ${table.time}`;

const WEEKDAY_NAMES = {
  mon: 'Monday',
  tue: 'Tuesday',
  wed: 'Wednesday',
  thu: 'Thursday',
  fri: 'Friday',
  sat: 'Saturday',
  sun: 'Sunday'
};

/** The ways in that are no happening: by a date, by a timetable. */
export const clockWays = (entry: Entry | undefined): string[] => [
  ...(entry?.date ? [dateWords(entry.date)] : []),
  ...(entry?.timetable ? [timetableWords(entry.timetable)] : [])
];

/** How people get in, short enough for the first row of the sheet: "in: tag first-visit, once". */
export function entryWords(entry: Entry | undefined): string {
  const on = entry?.on ?? [];
  const tags = on.every((rule) => rule.happening === 'tag_added');
  const happenings = tags
    ? on.length
      ? [`tag ${or(on.map((rule) => rule.tag || '…'))}`]
      : []
    : on.map((rule) =>
        rule.happening === 'tag_added' ? `tag ${rule.tag || '…'}` : happeningWords(rule, (key) => key)
      );
  const ways = [...happenings, ...clockWays(entry)];
  return `in: ${ways.length ? or(ways) : 'by hand only'}, ${oftenWords(entry)}`;
}
