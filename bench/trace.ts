/**
 * trace: memory of the command over many people and many happenings, each in a process of its own; the highest it held
 * at once, against the limit.
 */
import { spawn } from 'node:child_process';
import { createWriteStream, mkdtempSync, rmSync } from 'node:fs';
import { once } from 'node:events';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Benchmark, Row } from './row.ts';

const ROOT = join(import.meta.dirname, '..');
const START = Date.parse('2027-03-01T09:00:00Z');
const GIGABYTE = 1e9;

const six = {
  format: 'ambulo.journey/1',
  key: 'six',
  entry: { on: [{ happening: 'tag_added', tag: 'in' }], existing: true },
  lane: [
    { key: 'thanks', kind: 'email', subject: 'Thank you', text: 'See you' },
    { key: 'w1', kind: 'wait', for: 'P2D' },
    {
      key: 'ask',
      kind: 'branch',
      by: 'rules',
      lanes: [{ label: 'keen', when: { tag: 'keen' }, lane: [] }],
      otherwise: { label: 'others', lane: [] }
    },
    { key: 'w2', kind: 'wait', for: 'P1D' },
    { key: 'quiet', kind: 'tag', add: ['quiet'] },
    { key: 'points', kind: 'score', score: 'interest', add: 5 }
  ]
};
const listening = {
  ...six,
  lane: [
    ...six.lane.slice(0, 2),
    {
      key: 'heard',
      kind: 'listen',
      for: [{ label: 'opened', when: { happening: 'opened', of: 'thanks' }, lane: [] }],
      limit: 'P20D',
      otherwise: { label: 'not', lane: [] }
    },
    ...six.lane.slice(4)
  ]
};

async function write(file: string, lines: Iterable<string>): Promise<void> {
  const out = createWriteStream(file);
  let part = '';
  for (const line of lines) {
    part += `${line}\n`;
    if (part.length < 1_000_000) continue;
    if (!out.write(part)) await once(out, 'drain');
    part = '';
  }
  out.end(part);
  await once(out, 'finish');
}

function* peopleOf(n: number): Generator<string> {
  yield 'id,email,first_name,tags,consent_email';
  for (let i = 0; i < n; i++) yield `p${i},p${i}@people.example,Person,${i % 3 ? 'in' : 'in;keen'},given`;
}

function* happeningsOf(n: number, people: number): Generator<string> {
  for (let i = 0; i < n; i++) {
    const time = new Date(START + 3_600_000 + i * 1000).toISOString();
    yield `{"specversion":"1.0","id":"h${i}","source":"/bench","type":"ambulo.opened","time":"${time}","subject":"p${(i * 7919) % people}","data":{"of":"thanks"}}`;
  }
}

/** Runs the command; what it printed in lines, how long it took, and the highest memory it held, in bytes. */
async function measure(
  dir: string,
  journey: object,
  people: number,
  happenings: number
): Promise<{ lines: number; seconds: number; bytes: number }> {
  await write(join(dir, 'j.journey.json'), [JSON.stringify(journey)]);
  await write(join(dir, 'people.csv'), peopleOf(people));
  await write(join(dir, 'h.ndjson'), happeningsOf(happenings, people));
  const begun = performance.now();
  const args = [
    '--import',
    'tsx',
    join(ROOT, 'bench/trace-child.ts'),
    '--journey',
    'j.journey.json',
    '--people',
    'people.csv',
    '--happenings',
    'h.ndjson',
    '--from',
    new Date(START).toISOString(),
    '--until',
    '2027-06-01T00:00:00Z'
  ];
  const child = spawn(
    process.execPath,
    args.map((a) => (/\.(json|csv|ndjson)$/.test(a) ? join(dir, a) : a)),
    { cwd: ROOT, stdio: ['ignore', 'pipe', 'pipe'] }
  );
  let lines = 0;
  let told = '';
  child.stdout.on('data', (part: Buffer) => {
    for (const byte of part) if (byte === 10) lines++;
  });
  child.stderr.on('data', (part: Buffer) => void (told += part.toString()));
  const [status] = (await once(child, 'close')) as [number];
  if (status !== 0) throw new Error(`the command ended with ${status}: ${told.slice(0, 500)}`);
  const kilobytes = Number(/maxrss (\d+)/.exec(told)?.[1]);
  return { lines, seconds: (performance.now() - begun) / 1000, bytes: kilobytes * 1024 };
}

export const trace: Benchmark = async (say) => {
  const dir = mkdtempSync(join(tmpdir(), 'ambulo-bench-'));
  const row = (name: string, bytes: number, limit: number): Row => ({
    name,
    ours: bytes / GIGABYTE,
    reference: limit,
    ratio: bytes / GIGABYTE / limit,
    target: '<= 1',
    unit: 'GB'
  });
  try {
    const many = await measure(dir, six, 1_000_000, 0);
    say(`a million people: ${many.lines} lines in ${many.seconds.toFixed(0)} s, ${Math.round(many.bytes / 1e6)} MB`);
    const busy = await measure(dir, listening, 100_000, 1_000_000);
    say(
      `a million happenings: ${busy.lines} lines in ${busy.seconds.toFixed(0)} s, ${Math.round(busy.bytes / 1e6)} MB`
    );
    return [
      row('a million people, six steps', many.bytes, 1),
      row('a million happenings of 100,000 people', busy.bytes, 1.5)
    ];
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
};
