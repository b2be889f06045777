/** Keeps a stand-in's items in a file, one JSON object a line, so that a restart finds them again. */
import { appendFile } from 'node:fs/promises';
import { existsSync, readFileSync } from 'node:fs';

export interface Keep<T> {
  load(): T[];
  add(item: T): Promise<void>;
}

/** Without a file, nothing is kept. */
export function keepIn<T>(file: string | undefined): Keep<T> {
  return {
    load() {
      if (!file || !existsSync(file)) return [];
      const lines = readFileSync(file, 'utf8').split('\n');
      // A process that was killed may have left half a line at the end; it was never acknowledged.
      return lines.flatMap((line) => {
        try {
          return [JSON.parse(line) as T];
        } catch {
          return [];
        }
      });
    },
    async add(item) {
      if (file) await appendFile(file, JSON.stringify(item) + '\n', { mode: 0o600 });
    }
  };
}
