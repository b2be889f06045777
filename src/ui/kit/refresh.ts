/** Looking again at what a page shows. Pages depend on it by name: `live:journeys`, `live:person:7`. */
import { invalidate } from '$app/navigation';
import { navigating } from '$app/state';

const LIVE = 'live:';

/**
 * Loads anew what is named, or all that can change. Someone on their way to another page gets there first: reloading the
 * old one meanwhile would cancel their click.
 */
export async function refreshLive(names?: readonly string[]): Promise<void> {
  await navigating.complete?.catch(() => undefined);
  const wanted = names && new Set(names.map((name) => LIVE + name));
  const everyone = wanted?.has(`${LIVE}person:*`) ?? false;
  await invalidate(({ href }) => {
    if (!href.startsWith(LIVE)) return false;
    return !wanted || wanted.has(href) || (everyone && href.startsWith(`${LIVE}person:`));
  });
}
