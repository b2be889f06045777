/** Links that are none, and links to another host than the others. */
import { findLinks } from '../message/links.ts';
import { isMessage, type Step } from '../steps/index.ts';
import { remark, type Check, type Finding } from './finding.ts';
import { wordsOf } from './message-words.ts';

/** What was meant as a link and is not one: no scheme, one slash, nothing behind it, a comma for a point. */
const MEANT =
  /(?:^|[\s(])((?:https?:\/?(?!\/)\S*)|(?:https?:\/\/(?=[\s.,)]|$)\S*)|(?:https?;\/\/\S*)|(?:www\.\S+)|(?:https?:\/\/[^\s/.]+(?=[\s,)]|$)))/gi;

export const brokenLink: Check = (_journey, steps) =>
  steps.flatMap(({ step }): Finding[] => {
    if (!isMessage(step)) return [];
    const found = [...wordsOf(step).matchAll(MEANT)]
      .map((m) => m[1] ?? '')
      .filter((l) => !/^https?:\/\/localhost/.test(l));
    return [...new Set(found)].map((link) => ({
      severity: 'blocker',
      check: 'broken-link',
      step: step.key,
      text: `“${link}” is no link: nobody can follow it.`,
      hint: 'Write the whole address: https://, the host, and the page.'
    }));
  });

const hostsOf = (step: Step): string[] =>
  findLinks(wordsOf(step)).flatMap(({ url }) => {
    try {
      return [new URL(url.replace(/\{\{[\s\S]*$/, '')).hostname.toLowerCase()];
    } catch {
      return [];
    }
  });

/** So many links to one host make it the usual one. */
const USUAL = 3;

export const otherHost: Check = (_journey, steps) => {
  const all = steps.flatMap(({ step }) =>
    isMessage(step) ? hostsOf(step).map((host) => ({ host, key: step.key })) : []
  );
  const counts = new Map<string, number>();
  for (const { host } of all) counts.set(host, (counts.get(host) ?? 0) + 1);
  const [usual] = [...counts].sort((a, b) => b[1] - a[1]);
  if (!usual || usual[1] < USUAL) return [];
  const related = (host: string): boolean =>
    host === usual[0] || host.endsWith(`.${usual[0]}`) || usual[0].endsWith(`.${host}`);
  return all
    .filter(({ host }) => counts.get(host) === 1 && !related(host))
    .map(({ host, key }) =>
      remark(key, 'other-host', `One link leads to ${host}, all others to ${usual[0]}.`, 'Look whether that is meant.')
    );
};
