/** One file on its way in: sent in parts, opened, planned, read, begun. */
import type { ImportPlan } from '$server/imports/plan.ts';
import type { Opened } from '$server/imports/imports.ts';
import type { Preview } from '$server/imports/preview.ts';
import type { Reading } from '$server/imports/reading.ts';
import { listen, send as request } from '$ui/api.ts';

/** So long after a change of the plan the file is read anew, ms: several in a row are one. */
const PAUSE_MS = 350;

export class Importing {
  file = $state<File | null>(null);
  opened = $state.raw<Opened | null>(null);
  plan = $state<ImportPlan | null>(null);
  preview = $state.raw<Preview | null>(null);
  problem = $state('');
  /** What goes on before anything is imported: bytes that have arrived, or rows that were read. */
  busy = $state<{ what: 'upload' | 'look'; done: number; of: number } | null>(null);
  /** The file as the server keeps it. */
  private upload = '';
  private stopper: AbortController | null = null;
  private timer: ReturnType<typeof setTimeout> | undefined;

  async choose(chosen: File | undefined): Promise<void> {
    this.stop();
    this.file = chosen ?? null;
    [this.opened, this.plan, this.preview, this.problem, this.upload] = [null, null, null, '', ''];
    if (!chosen) return;
    const stopper = (this.stopper = new AbortController());
    const arrived = await this.send(chosen, stopper.signal);
    if (this.stopper === stopper) this.busy = null;
    if (arrived) await this.open();
  }

  stop(): void {
    this.stopper?.abort();
    clearTimeout(this.timer);
    this.busy = null;
  }

  /** Sends the file in parts; false where it was refused or stopped. */
  private async send(chosen: File, signal: AbortSignal): Promise<boolean> {
    this.busy = { what: 'upload', done: 0, of: chosen.size };
    const begun = await this.ask<{ id: string; part: number }>('POST', '/api/people/import', {
      name: chosen.name,
      bytes: chosen.size
    });
    if (!begun) return false;
    const { id, part } = begun;
    for (let place = 0; place * part < chosen.size; place++) {
      const bytes = chosen.slice(place * part, (place + 1) * part);
      if (!(await this.ask('PUT', `/api/people/import/${id}/${place}`, bytes, signal))) return false;
      this.busy = { what: 'upload', done: place * part + bytes.size, of: chosen.size };
    }
    this.upload = id;
    return true;
  }

  private async ask<T>(method: string, url: string, body: object, signal?: AbortSignal): Promise<T | null> {
    const init =
      body instanceof Blob
        ? { body, headers: { accept: 'application/json', 'content-type': 'application/octet-stream' } }
        : {};
    const answer = await request<T>(method, url, body instanceof Blob ? undefined : body, {
      ...init,
      ...(signal ? { signal } : {})
    });
    if (answer.ok) return answer.data;
    if (!signal?.aborted) this.problem = answer.message;
    return null;
  }

  /** Looks into the file, as it is guessed to be written or as somebody says; then reads all of it. */
  async open(reading?: Reading): Promise<void> {
    this.stop();
    this.problem = '';
    const again = reading && this.opened ? { again: { id: this.opened.id, reading } } : {};
    const opened = await this.ask<Opened>('POST', `/api/people/import/${this.upload}/open`, again);
    if (!opened) return;
    [this.opened, this.plan, this.preview] = [opened, opened.plan, null];
    await this.look();
  }

  /** Takes a change of the plan, and reads the file by it in a moment. */
  change(change: Partial<ImportPlan>): void {
    if (!this.plan) return;
    this.plan = { ...$state.snapshot(this.plan), ...change };
    // From now on the numbers are those of another plan: nothing is begun by them.
    this.busy = { what: 'look', done: 0, of: 0 };
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.look(), PAUSE_MS);
  }

  changeColumn(i: number, change: Partial<ImportPlan['columns'][number]>): void {
    if (!this.plan) return;
    const columns = $state.snapshot(this.plan).columns.map((c, n) => (n === i ? { ...c, ...change } : c));
    this.change({ columns });
  }

  /** Reads all of the file by the plan: what importing it would do. */
  private async look(): Promise<void> {
    const { opened, plan } = this;
    if (!opened || !plan) return;
    this.stopper?.abort();
    const stopper = (this.stopper = new AbortController());
    this.problem = '';
    this.busy = { what: 'look', done: 0, of: 0 };
    try {
      const end = await listen<{ rows?: number; preview?: Preview }>(
        `/api/people/import/${this.upload}/check`,
        { import: opened.id, plan: $state.snapshot(plan) },
        stopper.signal,
        (told) => {
          if (told.rows !== undefined && this.stopper === stopper) this.busy = { what: 'look', done: told.rows, of: 0 };
        }
      );
      if (end?.preview && this.stopper === stopper) this.preview = end.preview;
    } catch (error) {
      if (stopper.signal.aborted) return;
      this.preview = null;
      this.problem =
        error instanceof TypeError
          ? 'The server cannot be reached. Nothing was imported; try again in a moment.'
          : (error as Error).message;
    }
    if (this.stopper === stopper) this.busy = null;
  }

  /** Begins the import that was read; its number, or `null` where it was refused. */
  async begin(): Promise<number | null> {
    if (!this.opened) return null;
    const plan = $state.snapshot(this.plan);
    const done = await this.ask('POST', `/api/people/imports/${this.opened.id}`, { act: 'begin', plan });
    return done ? this.opened.id : null;
  }
}
