/** Who else has this draft open, and where; and whether somebody has saved it since. Asked every few seconds while it is open. */
import { send } from '$ui/api.ts';
import type { Other } from '$server/journeys/open-drafts.ts';

const EVERY_MS = 4000;

export class Others {
  list = $state.raw<Other[]>([]);
  private readonly place = crypto.randomUUID();
  private timer: ReturnType<typeof setTimeout> | null = null;
  private open = false;

  constructor(
    private readonly key: string,
    private readonly step: () => string | null,
    /** Hears how often the draft has been saved by now. */
    private readonly onrevision: (revision: number) => void
  ) {}

  start(): void {
    this.open = true;
    // Closed or reloaded without going to another page first.
    window.addEventListener('pagehide', this.leave);
    void this.tell();
  }

  stop(): void {
    this.open = false;
    if (this.timer) clearTimeout(this.timer);
    window.removeEventListener('pagehide', this.leave);
    this.leave();
  }

  private readonly leave = (): void =>
    void send('POST', this.url, { place: this.place, step: null, gone: true }, { keepalive: true });

  private get url(): string {
    return `/api/journeys/${this.key}/here`;
  }

  private async tell(): Promise<void> {
    const answer = await send<{ others: Other[]; revision: number }>('POST', this.url, {
      place: this.place,
      step: this.step()
    });
    if (!this.open) return;
    // Away for a moment: whoever was there is taken to be there still.
    if (answer.ok) {
      this.list = answer.data.others;
      this.onrevision(answer.data.revision);
    }
    this.timer = setTimeout(() => void this.tell(), EVERY_MS);
  }
}
