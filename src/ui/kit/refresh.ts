/** Looking again at what a page shows. */
import { invalidate } from '$app/navigation';
import { navigating } from '$app/state';

/**
 * Loads the figures of the open page anew. Someone on their way to another page
 * gets there first: reloading the old one meanwhile would cancel their click.
 */
export async function refreshLive(): Promise<void> {
  await navigating.complete?.catch(() => undefined);
  await invalidate('app:live');
}
