/** One page under two addresses: whoever asks who followed one of them misses those who followed the other. */
import { findLinks } from '../message/links.ts';
import { isMessage } from '../steps/index.ts';
import { remark, type Check, type Finding } from './finding.ts';
import { wordsOf } from './message-words.ts';

/** An address without what leads nowhere else: scheme, "www.", a slash at the end, the order of what stands behind "?". */
function pageOf(link: string): string | null {
  try {
    const url = new URL(link);
    url.searchParams.sort();
    return `${url.host.replace(/^www\./, '')}${url.pathname.replace(/\/+$/, '')}${url.search}`;
  } catch {
    return null;
  }
}

export const oneLinkTwoWays: Check = (_journey, steps) => {
  const first = new Map<string, { url: string; step: string }>();
  return steps.flatMap(({ step }): Finding[] => {
    if (!isMessage(step)) return [];
    const found: Finding[] = [];
    for (const { url } of findLinks(wordsOf(step))) {
      const page = pageOf(url);
      if (page === null) continue;
      const before = first.get(page);
      if (!before) first.set(page, { url, step: step.key });
      else if (before.url !== url && found.length === 0)
        found.push(
          remark(
            step.key,
            'one-link-two-ways',
            `${url} is the page that stands as ${before.url} in “${before.step}”: clicks are counted apart.`,
            'Write it the same way everywhere.'
          )
        );
    }
    return found;
  });
};
