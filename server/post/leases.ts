/**
 * Rows that are worked on under a lease, by the machine's clock: held while they are in hand, and renewed several times within
 * one. A lease that somebody else has taken over meanwhile, because this process stood still or the database was away, is lost:
 * the row is let go, and nothing more is done for it. Tables: `messages`, `errands`, `answers`, `letters`, each with `person_id`, `id`,
 * `claim`, `state` and `not_before`.
 */
import { columns } from '../db/columns.ts';
import type { Pool } from '../db/pool.ts';

/** How long a claim holds unless it is renewed. */
export const LEASE_SECONDS = 30;
const RENEW_MS = (LEASE_SECONDS * 1000) / 4;

/** SQL: until when a lease that begins now holds. */
export const LEASE = `clock_timestamp() + interval '${LEASE_SECONDS} seconds'`;

export interface Leased {
  person_id: number;
  id: number;
  claim: number;
}

export class Leases<R extends Leased> {
  private readonly held = new Map<number, R>();
  private readonly renewal: ReturnType<typeof setInterval>;

  constructor(
    private readonly pool: Pool,
    private readonly table: 'messages' | 'errands' | 'answers' | 'letters',
    /** Hears whether the database could be asked. */
    private readonly asked: (there: boolean) => void = () => undefined
  ) {
    this.renewal = setInterval(() => void this.renew(), RENEW_MS);
    this.renewal.unref();
  }

  /** How many are in hand. */
  get size(): number {
    return this.held.size;
  }

  /** Ids of those in hand. */
  ids(): number[] {
    return [...this.held.keys()];
  }

  hold(rows: readonly R[]): void {
    for (const row of rows) this.held.set(row.id, row);
  }

  /** Whether a row is still ours, as far as is known. */
  has(row: Leased): boolean {
    return this.held.get(row.id)?.claim === row.claim;
  }

  /** Lets a row go: it is done, or was lost. */
  letGo(row: Leased): void {
    if (this.has(row)) this.held.delete(row.id);
  }

  close(): void {
    clearInterval(this.renewal);
  }

  /** Renews all leases now; those that are not ours any more are let go. */
  async renew(): Promise<void> {
    const rows = [...this.held.values()];
    if (!rows.length) return;
    try {
      const { rows: ours } = await this.pool.query<Leased>({
        name: `renew-${this.table}`,
        text: `
          update ${this.table} l set not_before = ${LEASE}
          from unnest($1::bigint[], $2::bigint[], $3::integer[]) as t (person_id, id, claim)
          where l.person_id = t.person_id and l.id = t.id and l.claim = t.claim and l.state = 'sending'
          returning l.person_id, l.id, l.claim`,
        values: columns(rows, ['person_id', 'id', 'claim'])
      });
      const kept = new Set(ours.map((o) => o.id));
      for (const row of rows) if (!kept.has(row.id)) this.letGo(row);
      this.asked(true);
    } catch {
      // The database is away: leases run on as they are, and are renewed once it is back.
      this.asked(false);
    }
  }
}
