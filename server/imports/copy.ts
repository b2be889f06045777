/** Rows put into a table by COPY, as they come: PostgreSQL's text format. */
import { once } from 'node:events';
import { finished } from 'node:stream/promises';
import type { PoolClient } from 'pg';
import { from } from 'pg-copy-streams';

export type CopyValue = string | number | null | readonly string[];

const ESCAPES: Record<string, string> = { '\\': '\\\\', '\n': '\\n', '\r': '\\r', '\t': '\\t' };
const escape = (text: string): string =>
  /[\\\n\r\t]/.test(text) ? text.replace(/[\\\n\r\t]/g, (c) => ESCAPES[c] ?? c) : text;
const arrayText = (values: readonly string[]): string =>
  values.length ? `{${values.map((v) => `"${v.replace(/["\\]/g, '\\$&')}"`).join(',')}}` : '{}';

const fieldText = (value: CopyValue): string =>
  value === null
    ? '\\N'
    : typeof value === 'string'
      ? escape(value)
      : typeof value === 'number'
        ? String(value)
        : escape(arrayText(value));

/** So many characters are handed on at once. */
const CHUNK = 1 << 16;
/** So many bytes may wait to be written: rows are read on while the database takes in what it has. */
const AHEAD = 1 << 20;

/** Takes rows one after another; `end` waits until all are in. */
export class Copy {
  private readonly stream;
  private text = '';
  rows = 0;

  constructor(db: PoolClient, table: string, columns: readonly string[]) {
    this.stream = db.query(from(`copy ${table} (${columns.join(', ')}) from stdin`, { highWaterMark: AHEAD }));
    // Told where it is written to or ended; without a listener it would end the process.
    this.stream.on('error', () => undefined);
  }

  async put(values: readonly CopyValue[]): Promise<void> {
    let line = '';
    for (let i = 0; i < values.length; i++) line += (i ? '\t' : '') + fieldText(values[i] ?? null);
    this.text += line + '\n';
    this.rows++;
    if (this.text.length >= CHUNK) await this.flush();
  }

  private async flush(): Promise<void> {
    const { text } = this;
    this.text = '';
    if (!this.stream.write(text)) await once(this.stream, 'drain');
  }

  async end(): Promise<void> {
    if (this.text) await this.flush();
    this.stream.end();
    await finished(this.stream);
  }

  /** Breaks off: nothing of it is kept. */
  destroy(): void {
    this.stream.destroy();
  }
}
