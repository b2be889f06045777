import { execFileSync, spawnSync, type SpawnSyncReturns } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';

const root = join(import.meta.dirname, '../..');
const example = join(root, 'tests/fixtures/example');
const ambulo = join(root, 'bin/ambulo');
const files = {
  journey: join(example, 'first-visit.journey.json'),
  people: join(example, 'people.csv'),
  happenings: join(example, 'happenings.ndjson')
};

function trace(change: Partial<typeof files & { until: string; from: string }> = {}): SpawnSyncReturns<string> {
  const given = { ...files, until: '2027-04-30T00:00:00Z', ...change };
  return spawnSync(ambulo, ['trace', ...Object.entries(given).flatMap(([k, v]) => [`--${k}`, v])], {
    encoding: 'utf8',
    cwd: root
  });
}
function file(name: string, content: string | Buffer): string {
  const path = join(mkdtempSync(join(tmpdir(), 'trace-')), name);
  writeFileSync(path, content);
  return path;
}

describe('ambulo trace', () => {
  it('prints the trail of the example, byte for byte', () => {
    const out = execFileSync(
      ambulo,
      [
        'trace',
        '--journey',
        files.journey,
        '--people',
        files.people,
        '--happenings',
        files.happenings,
        '--until',
        '2027-04-30T00:00:00Z'
      ],
      { encoding: 'utf8' }
    );
    expect(out).toBe(readFileSync(join(example, 'expected.ndjson'), 'utf8'));
  });

  it('says all that is wrong with three files at once: path, line, what was found; status 2, nothing printed', () => {
    const result = trace({
      journey: file(
        'bad.journey.json',
        '{ "format": "ambulo.journey/1",\n "key": "x",\n "lane": [{ "key": "a", "kind": "fly" }] }'
      ),
      people: file('bad.csv', 'id,zone,age:number\np1,Mars,3\np1,,x\n,,\n'),
      happenings: file(
        'bad.ndjson',
        '{"specversion":"1.0"\n{"specversion":"1.0","id":"1","source":"/s","type":"ambulo.sent","time":"2027-03-01","subject":"p1"}\n'
      )
    });
    expect(result.status).toBe(2);
    expect(result.stdout).toBe('');
    const lines = result.stderr
      .trim()
      .split('\n')
      .map((l) => l.replace(/^\S*\//, ''));
    expect(lines).toEqual([
      'bad.journey.json:3: lane[0].kind: found "fly", expected a kind that is known here: email, sms, wait, listen, branch, split, tag, list, field, score, task, notify, call, consent, handover, withdraw, loop, leave',
      'bad.csv:2: zone: found "Mars", expected a time zone name such as "Europe/Dublin"',
      'bad.csv:3: age: found "x", expected a number',
      'bad.csv:3: id: found "p1", expected an id that no row before has',
      'bad.csv:4: id: found "", expected an id',
      'bad.ndjson:1: the line: found "{\\"specversion\\":\\"1.0\\"", which is not JSON, expected one happening',
      'bad.ndjson:2: time: found "2027-03-01", expected an instant with a zone, such as "2027-03-01T09:00:00Z"'
    ]);
  });

  it.each([
    [
      'a file that is not there',
      { people: '/nowhere/people.csv' },
      /people\.csv:1: the file: found no readable file \(ENOENT\)/
    ],
    ['bytes that are not UTF-8', { people: file('latin.csv', Buffer.from([105, 100, 10, 233, 10])) }, /not UTF-8/],
    ['a bad instant', { until: 'tomorrow' }, /--until: found "tomorrow"/],
    [
      'someone who is not in the CSV',
      {
        happenings: file(
          'h.ndjson',
          '{"specversion":"1.0","id":"1","source":"/s","type":"ambulo.enter","time":"2027-03-01T09:00:00Z","subject":"p9","data":{"journey":"first-visit"}}'
        )
      },
      /h\.ndjson:1: subject: found "p9"/
    ],
    [
      'a journey that was not given',
      {
        happenings: file(
          'h.ndjson',
          '{"specversion":"1.0","id":"1","source":"/s","type":"ambulo.enter","time":"2027-03-01T09:00:00Z","subject":"p2","data":{"journey":"other"}}'
        )
      },
      /data\.journey: found "other"/
    ],
    ['an entry before --from', { from: '2027-03-02T00:00:00Z' }, /found an entry by hand before --from/]
  ])('%s', (_, change, expected) => {
    const result = trace(change);
    expect(result.status).toBe(2);
    expect(result.stderr).toMatch(expected);
    expect(result.stderr).not.toMatch(/ at .*\.ts:/);
  });

  it('takes the same source and id once', () => {
    const line = readFileSync(files.happenings, 'utf8');
    expect(trace({ happenings: file('twice.ndjson', line + line) }).stdout).toBe(
      readFileSync(join(example, 'expected.ndjson'), 'utf8')
    );
  });
});
