/** What a changed ladder or model would do, worked out anew after each change, with how far that is. */
import type { Outlook } from '$server/engagement/preview.ts';
import { listen, NotDone } from '$ui/api.ts';
import type { ModelKind } from '$server/engagement/models.ts';

/** So long after a change it is asked, ms: several in a row are one. */
const PAUSE_MS = 350;
/** So long it waits where others look just now, ms. */
const AGAIN_MS = 2000;

export class Previewing {
  outlook = $state.raw<Outlook | null>(null);
  problem = $state('');
  busy = $state(false);
  private stopper: AbortController | null = null;
  private timer: ReturnType<typeof setTimeout> | undefined;

  /** Asks anew; what is under way is given up. */
  ask(kind: ModelKind, definition: object, after = PAUSE_MS): void {
    this.stop();
    this.busy = true;
    this.timer = setTimeout(() => void this.run(kind, definition), after);
  }

  stop(): void {
    clearTimeout(this.timer);
    this.stopper?.abort();
    this.busy = false;
  }

  private async run(kind: ModelKind, definition: object): Promise<void> {
    const stopper = (this.stopper = new AbortController());
    try {
      await listen<Outlook>('/api/people/engagement', { kind, definition }, stopper.signal, (so) => {
        this.problem = '';
        if (this.stopper === stopper) this.outlook = so;
      });
    } catch (error) {
      if (stopper.signal.aborted) return;
      if (error instanceof NotDone && error.status === 429) return this.ask(kind, definition, AGAIN_MS);
      this.outlook = null;
      this.problem =
        error instanceof TypeError
          ? 'The server cannot be reached. Nothing was lost; change something to try again.'
          : (error as Error).message;
    }
    if (this.stopper === stopper) this.busy = false;
  }
}
