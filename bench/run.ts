/**
 * npm run bench: each benchmark prints one table; ours, a reference measured in
 * the same run, and their ratio. `-- --json NAME` prints one JSON object a row.
 */
import { parseArgs } from 'node:util';
import { doubles } from './doubles.ts';
import { engine } from './engine.ts';
import { enter } from './enter.ts';
import { history } from './history.ts';
import { partitions } from './partitions.ts';
import { hours } from './hours.ts';
import { importing } from './import.ts';
import { pages } from './pages.ts';
import { peoplePage } from './people-page.ts';
import { intake } from './intake.ts';
import { queue } from './queue.ts';
import { segment } from './segment.ts';
import { sheet } from './sheet.ts';
import { trace } from './trace.ts';
import { selection } from './selection.ts';
import { typed } from './typed.ts';
import { waiting } from './waiting.ts';
import { workers } from './workers.ts';
import { walks } from './walks.ts';
import type { Benchmark, Row } from './row.ts';

const ALL: Record<string, Benchmark> = {
  engine,
  queue,
  workers,
  waiting,
  enter,
  intake,
  segment,
  sheet,
  typed,
  selection,
  doubles,
  import: importing,
  history,
  partitions,
  pages,
  'people-page': peoplePage,
  walks,
  hours,
  trace
};

const { values, positionals } = parseArgs({
  options: { json: { type: 'boolean', default: false } },
  allowPositionals: true
});
const unknown = positionals.filter((name) => !Object.hasOwn(ALL, name));
if (unknown.length) {
  process.stderr.write(`There is no benchmark ${unknown.join(', ')}; there are ${Object.keys(ALL).join(', ')}.\n`);
  process.exit(2);
}

const format = (n: number): string => (n >= 100 ? Math.round(n).toString() : n.toPrecision(3));

for (const [name, benchmark] of Object.entries(ALL)) {
  if (positionals.length && !positionals.includes(name)) continue;
  const rows: Row[] = await benchmark((line) => void (values.json || process.stdout.write(`  ${line}\n`)));
  if (values.json) {
    for (const row of rows) process.stdout.write(JSON.stringify(row) + '\n');
    continue;
  }
  process.stdout.write(
    `\n${name}\n${'what'.padEnd(52)}${'ours'.padStart(10)}${'reference'.padStart(12)}${'ratio'.padStart(8)}  to reach\n`
  );
  for (const r of rows) {
    process.stdout.write(
      `${r.name.padEnd(52)}${format(r.ours).padStart(10)}${format(r.reference).padStart(12)}${r.ratio.toFixed(2).padStart(8)}  ${r.target}  (${r.unit})\n`
    );
  }
  process.stdout.write('\n');
}
