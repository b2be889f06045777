/** Conditions, goals and ways in, in words. */
import { isHappening, type Condition, type HappeningOrCondition } from '../condition/schema.ts';
import { or } from './words.ts';

/** Finds the title of a step by its key. */
export type Naming = (key: string) => string;

const DID: Record<string, [string, string]> = {
  sent: ['were sent', 'were not sent'],
  delivered: ['received', 'did not receive'],
  opened: ['opened', 'did not open'],
  clicked: ['followed a link of', 'followed no link of'],
  replied: ['answered', 'did not answer'],
  bounced: ['bounced on', 'did not bounce on'],
  failed: ['could not be sent', 'had no failure of'],
  unsubscribed: ['unsubscribed from', 'did not unsubscribe from'],
  complained: ['complained about', 'did not complain about']
};

const CHANNEL = { email: 'email', sms: 'text' };

/** "opened Thank you and have the tag keen". */
export function conditionWords(condition: Condition, name: Naming): string {
  return words(condition, name, false);
}

function words(condition: Condition, name: Naming, negated: boolean): string {
  if ('all' in condition || 'any' in condition) {
    const parts = ('all' in condition ? condition.all : condition.any).map((c) => words(c, name, negated));
    // "Not (a and b)" is "not a, or not b".
    const link = 'all' in condition !== negated ? 'and' : 'or';
    return parts.length > 1 ? parts.join(` ${link} `) : (parts[0] ?? '');
  }
  if ('field' in condition) {
    const parts = [];
    const is = negated ? 'is not' : 'is';
    if (condition.set !== undefined)
      parts.push(condition.set !== negated ? `have a ${condition.field || '…'}` : `have no ${condition.field || '…'}`);
    if (condition.is !== undefined) parts.push(`whose ${condition.field || '…'} ${is} ${String(condition.is)}`);
    if (condition.not !== undefined)
      parts.push(`whose ${condition.field || '…'} ${negated ? 'is' : 'is not'} ${String(condition.not)}`);
    return parts.join(negated ? ' or ' : ' and ');
  }
  if ('not' in condition) return words(condition.not, name, !negated);
  if ('tag' in condition) return `${negated ? 'do not have' : 'have'} the tag ${condition.tag || '…'}`;
  if ('consent' in condition) return `${negated ? 'gave no' : 'gave'} consent for ${CHANNEL[condition.consent]}`;
  const [yes = condition.did, no = condition.did] = DID[condition.did] ?? [];
  const link = condition.link ? ` (${condition.link})` : '';
  return `${negated ? no : yes} ${condition.of ? name(condition.of) : '…'}${link}`;
}

/** A goal or leave rule: "follow a link of Member night", "have the tag renewed". */
export function ruleWords(rule: HappeningOrCondition, name: Naming): string {
  if (!isHappening(rule)) return conditionWords(rule, name);
  switch (rule.happening) {
    case 'tag_added':
      return `get the tag ${rule.tag ?? 'of any name'}`;
    case 'tag_removed':
      return `lose the tag ${rule.tag ?? 'of any name'}`;
    case 'purchased':
      return rule.product ? `buy ${rule.product}` : 'buy something';
    default: {
      const verb =
        { clicked: 'follow a link of', opened: 'open', replied: 'answer' }[rule.happening as string] ??
        `${rule.happening}:`;
      return `${verb} ${rule.of ? name(rule.of) : 'any message'}`;
    }
  }
}

/** How people get in, short enough for the first row of the sheet: "in: tag first-visit, once". */
export function entryWords(on: { tag?: string | undefined }[] | undefined): string {
  const tags = (on ?? []).map((rule) => rule.tag || '…');
  return tags.length ? `in: tag ${or(tags)}, once` : 'in: by hand only, once';
}
