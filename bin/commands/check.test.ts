/** `ambulo check` and `ambulo schema`, as they are run. */
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';

const ROOT = join(import.meta.dirname, '../..');
const run = (...args: string[]) => spawnSync(join(ROOT, 'bin/ambulo'), args, { encoding: 'utf8', cwd: ROOT });
const folder = mkdtempSync(join(tmpdir(), 'check-'));
function file(name: string, content: string | object): string {
  const path = join(folder, name);
  writeFileSync(path, typeof content === 'string' ? content : JSON.stringify(content));
  return path;
}
const journey = (rest: object) => ({
  format: 'ambulo.journey/1',
  key: 'try',
  entry: { on: [{ happening: 'tag_added', tag: 'in' }] },
  goal: { when: { tag: 'done' } },
  lane: [],
  ...rest
});

describe('ambulo check', { timeout: 60_000 }, () => {
  it('says nothing of a journey with nothing to say of', () => {
    const result = run('check', 'demo/journeys/after-the-first-visit.journey.json');
    expect(result).toMatchObject({ status: 0, stdout: '', stderr: '' });
  });
  it('prints findings, one a line, and status 1 where one would keep it from going live', () => {
    const path = file('empty.journey.json', journey({ lane: [{ key: 'a', kind: 'email', text: 'x' }] }));
    const result = run('check', path);
    expect(result.status).toBe(1);
    expect(result.stdout).toContain(`${path}: a: blocker: This email has no subject. Write a subject.`);
    const remark = file(
      'remark.journey.json',
      journey({ goal: undefined, lane: [{ key: 't', kind: 'tag', add: ['x'] }] })
    );
    expect(run('check', remark)).toMatchObject({
      status: 0,
      stdout: expect.stringContaining('remark: No goal') as string
    });
  });
  it('bad input: all of it, on standard error, status 2, nothing on standard output', () => {
    const bad = file(
      'bad.journey.json',
      journey({
        lane: [
          { key: 'a', kind: 'fly' },
          { key: 'b', kind: 'loop', to: 'c' }
        ]
      })
    );
    const result = run('check', bad, file('none.json', '{'));
    expect(result).toMatchObject({ status: 2, stdout: '' });
    expect(result.stderr.trim().split('\n').length).toBe(3);
    expect(result.stderr).not.toMatch(/\bat .*\.ts:/);
  });
  it('one file alone may hand over to others; several are held against each other', () => {
    const one = file(
      'one.journey.json',
      journey({ key: 'one', lane: [{ key: 'h', kind: 'handover', journey: 'two' }] })
    );
    const three = file('three.journey.json', journey({ key: 'three' }));
    expect(run('check', one).status).toBe(0);
    expect(run('check', one, three).stderr).toContain(
      'lane[0].journey: found "two", expected the key of a journey that was given'
    );
  });
  it('with settings their names are held against it', () => {
    const j = file(
      'seg.journey.json',
      journey({ goal: { when: { segment: 'keen' } }, lane: [{ key: 't', kind: 'tag', add: ['x'] }] })
    );
    const settings = file('settings.json', {
      format: 'ambulo.settings/1',
      segments: [{ name: 'warm', when: { tag: 'x' } }]
    });
    expect(run('check', j).status).toBe(0);
    expect(run('check', j, '--settings', settings).stderr).toContain(
      'goal.when.segment: found "keen", expected a segment of the settings'
    );
  });
  it.each([[[]], [['--colour']], [['/nowhere/x.journey.json']]])('%j is not understood, and says so', (args) => {
    const result = run('check', ...args);
    expect(result.status).toBe(2);
    expect(result.stderr).toMatch(/usage|no readable file/);
  });
});

describe('ambulo schema', { timeout: 60_000 }, () => {
  it('is the one that is published, 2020-12, and has every kind of step', () => {
    const printed = run('schema').stdout;
    expect(printed).toBe(readFileSync(join(ROOT, 'docs/ambulo.schema.json'), 'utf8'));
    const schema = JSON.parse(printed) as { $schema: string; $defs: Record<string, unknown> };
    expect(schema.$schema).toBe('https://json-schema.org/draft/2020-12/schema');
    for (const kind of [
      'email',
      'sms',
      'wait',
      'listen',
      'branch',
      'split',
      'tag',
      'list',
      'field',
      'score',
      'task',
      'notify',
      'call',
      'consent',
      'handover',
      'withdraw',
      'loop',
      'leave'
    ])
      expect(printed).toContain(`"const": "${kind}"`);
    expect(Object.keys(schema.$defs)).toEqual(
      expect.arrayContaining(['journey', 'settings', 'lane', 'condition', 'happening'])
    );
    // Every reference leads somewhere.
    for (const [, name] of printed.matchAll(/"\$ref": "#\/\$defs\/([^"]+)"/g))
      expect(schema.$defs[name!], name).toBeDefined();
  });
  it('takes nothing', () => expect(run('schema', 'x').status).toBe(2));
  it('ends quietly when nobody reads on', () => {
    expect(
      execFileSync('sh', ['-c', `${join(ROOT, 'bin/ambulo')} schema | head -c 10`], { encoding: 'utf8' }).length
    ).toBe(10);
  });
});
