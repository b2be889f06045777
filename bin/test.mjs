// npm test: installs what is missing, then every check and every test. Ends with
// one line, "N passed, N failed", the sum over all runners.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensureBuild, ensureDebian, ensurePackages, ROOT } from './setup.mjs';

ensurePackages();
ensureDebian(['postgresql', 'chromium']);

const only = process.argv.slice(2);
const scratch = mkdtempSync(join(tmpdir(), 'ambulo-test-'));
let passed = 0;
let failed = 0;

const node = (script, ...args) => [process.execPath, [join('node_modules', script), ...args]];

/** A check that passes or fails as a whole counts as one. */
function check(name, [command, args]) {
  if (only.length && !only.includes(name)) return;
  const began = Date.now();
  const done = spawnSync(command, args, {
    cwd: ROOT,
    encoding: 'utf8',
    maxBuffer: 1e9,
    stdio: ['ignore', 'pipe', 'pipe']
  });
  const ok = done.status === 0;
  process.stdout.write(`${ok ? 'ok    ' : 'FAILED'} ${name} (${((Date.now() - began) / 1000).toFixed(0)} s)\n`);
  if (!ok) process.stdout.write(`${done.stdout}${done.stderr}\n`);
  ok ? passed++ : failed++;
}

/** A test runner that writes its counts as JSON. */
function tests(name, [command, args], count, env = {}) {
  if (only.length && !only.includes(name)) return;
  const file = join(scratch, `${name}.json`);
  process.stdout.write(`--- ${name}\n`);
  const done = spawnSync(command, args(file), {
    cwd: ROOT,
    stdio: ['ignore', 'inherit', 'inherit'],
    env: { ...process.env, ...env(file) }
  });
  let counts;
  try {
    counts = count(JSON.parse(readFileSync(file, 'utf8')));
  } catch {
    counts = { passed: 0, failed: 1 };
  }
  // A runner that fails without a failed test (a setup, an unhandled error) has failed all the same.
  if (done.status !== 0 && counts.failed === 0) counts.failed = 1;
  passed += counts.passed;
  failed += counts.failed;
}

const none = () => ({});
const vitest = (project) => [
  process.execPath,
  (file) => [
    'node_modules/vitest/vitest.mjs',
    'run',
    '--project',
    project,
    '--reporter=default',
    '--reporter=json',
    `--outputFile.json=${file}`
  ]
];
const vitestCount = (r) => ({
  passed: r.numPassedTests,
  failed: r.numFailedTests + r.numFailedTestSuites * (r.numFailedTests ? 0 : 1)
});

if (!only.length || only.includes('browser') || only.includes('integration')) ensureBuild();
spawnSync(process.execPath, ['node_modules/@sveltejs/kit/svelte-kit.js', 'sync'], { cwd: ROOT, stdio: 'ignore' });
check('format', node('prettier/bin/prettier.cjs', '--check', '--log-level', 'warn', '.'));
check('lint', node('eslint/bin/eslint.js', '--max-warnings', '0', '.'));
check('types', node('typescript/bin/tsc', '-p', '.'));
check('svelte-check', node('svelte-check/bin/svelte-check', '--tsconfig', './tsconfig.json', '--fail-on-warnings'));
check('unused', node('knip/bin/knip.js', '--no-progress'));
tests('unit', vitest('unit'), vitestCount, none);
tests('integration', vitest('integration'), vitestCount, none);
tests(
  'browser',
  [process.execPath, () => ['node_modules/@playwright/test/cli.js', 'test']],
  (r) => ({ passed: r.stats.expected + r.stats.flaky, failed: r.stats.unexpected }),
  (file) => ({ PLAYWRIGHT_JSON_OUTPUT_NAME: file })
);

rmSync(scratch, { recursive: true, force: true });
process.stdout.write(`\n${passed} passed, ${failed} failed\n`);
process.exit(failed ? 1 : 0);
