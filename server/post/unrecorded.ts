/**
 * Outcomes that could not be recorded yet, because the database is away: kept in a folder of this machine, so that a process that is
 * ended meanwhile does not forget that a message has gone out. The next one records them first. A file a process and channel, a line
 * an outcome; nothing but numbers and the server's answer stands in it, and no address.
 */
import { randomUUID } from 'node:crypto';
import {
  closeSync,
  existsSync,
  fsyncSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeSync
} from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import type { Channel } from '../../core/person/values.ts';
import type { Outcome, OutcomeRow } from './outbox-record.ts';

const id = z.number().int();
const line = z.object({
  row: z.object({
    person_id: id,
    id,
    claim: id,
    walk_id: id,
    journey_id: id,
    step: z.string(),
    attempts: id
  }),
  handed: z.union([
    z.object({ ok: z.literal(true) }),
    z.object({
      ok: z.literal(false),
      kind: z.enum([
        'mailbox',
        'full',
        'temporary',
        'away',
        'ours',
        'withheld',
        'filling-in',
        'too-late',
        'failed',
        'doubt'
      ]),
      error: z.string()
    })
  ]),
  now: z.number(),
  practice: z.boolean()
});

const plain = ({ person_id, id, claim, walk_id, journey_id, step, attempts }: OutcomeRow): OutcomeRow => ({
  person_id,
  id,
  claim,
  walk_id,
  journey_id,
  step,
  attempts
});

export class Unrecorded {
  private file: number | null = null;
  private readonly kept = new Set<number>();
  private readonly token = randomUUID();

  constructor(
    /** `null`: nothing is kept over a restart. */
    private readonly folder: string | null,
    private readonly channel: Channel
  ) {}

  private get path(): string {
    return join(this.folder ?? '', `${this.channel}-${this.token}.ndjson`);
  }

  /** Keeps outcomes, each once, before their recording is tried again. */
  keep(outcomes: readonly Outcome[]): void {
    if (this.folder === null) return;
    const fresh = outcomes.filter(({ row }) => !this.kept.has(row.id));
    if (!fresh.length) return;
    mkdirSync(this.folder, { recursive: true, mode: 0o700 });
    this.file ??= openSync(this.path, 'a', 0o600);
    writeSync(this.file, fresh.map((o) => `${JSON.stringify({ ...o, row: plain(o.row) })}\n`).join(''));
    fsyncSync(this.file);
    for (const { row } of fresh) this.kept.add(row.id);
  }

  /** Those were recorded: once all are, nothing is kept. */
  recorded(outcomes: readonly Outcome[]): void {
    for (const { row } of outcomes) this.kept.delete(row.id);
    if (this.kept.size || this.file === null) return;
    closeSync(this.file);
    this.file = null;
    rmSync(this.path, { force: true });
  }

  /**
   * What others have kept, taken over by this one: as a rule they are no more. Of one that lives the same is recorded twice, and the
   * second time is none: an outcome is of one claim. A line that was cut by a crash is left out.
   */
  takeOver(): Outcome[] {
    if (this.folder === null || !existsSync(this.folder)) return [];
    const found: Outcome[] = [];
    for (const name of readdirSync(this.folder)) {
      if (!name.startsWith(`${this.channel}-`) || name.startsWith(`${this.channel}-${this.token}`)) continue;
      const from = join(this.folder, name);
      const outcomes = readFileSync(from, 'utf8').split('\n').flatMap(outcomeOf);
      // Written down again before the other is let go.
      this.keep(outcomes);
      rmSync(from, { force: true });
      found.push(...outcomes);
    }
    return found;
  }
}

function outcomeOf(text: string): Outcome[] {
  try {
    return [line.parse(JSON.parse(text))];
  } catch {
    return [];
  }
}
