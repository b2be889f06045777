// npm test: installs what is missing, then every check and every test. Names the ten slowest tests, and ends with one
// line, "N passed, N failed", the sum over all runners.
//
// npm test -- PART ...      only these parts: lint, svelte-check, format, unused, unit, faults, integration, browser
// npm test -- changed       only what a change since the last commit touches: its files linted, types, and the tests that read them
// RECORD=1 npm test         writes how long each file of tests took to tests/times.json, by which the longest come first
import { execFileSync, spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { ensureBuild, ensureDebian, ensurePackages, ROOT } from './setup.mjs';

ensurePackages();
ensureDebian(['postgresql', 'chromium']);

const asked = process.argv.slice(2);
const changed = asked.includes('changed');
const only = asked.filter((name) => name !== 'changed');
const wanted = (name) => !only.length || only.includes(name);
/** Files that differ from the last commit, new ones too. */
const changes = changed
  ? execFileSync('git', ['status', '--porcelain', '--no-renames', '-z'], { cwd: ROOT, encoding: 'utf8' })
      .split('\0')
      .map((line) => line.slice(3))
      .filter((name) => name && existsSync(join(ROOT, name)))
  : [];
const scratch = mkdtempSync(join(tmpdir(), 'ambulo-test-'));
let passed = 0;
let failed = 0;
/** How long each test took, by the runner's own measure. */
const times = [];
/** How long each file of tests took, seconds. */
const files = {};

const node = (script, ...args) => [join('node_modules', script), ...args];

/** Runs a script with Node.js; its output is shown as it comes, or kept. */
function run(args, { show, env = {} }) {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, args, {
      cwd: ROOT,
      env: { ...process.env, ...env },
      stdio: ['ignore', show ? 'inherit' : 'pipe', show ? 'inherit' : 'pipe']
    });
    let output = '';
    child.stdout?.on('data', (part) => (output += part));
    child.stderr?.on('data', (part) => (output += part));
    child.on('close', (code) => resolve({ ok: code === 0, output }));
  });
}

/** Checks, each of which passes or fails as a whole and counts as one: side by side, as many as there are cores. */
async function checks(all) {
  const waiting = all.filter(([name]) => wanted(name));
  await Promise.all(
    cpus().map(async () => {
      for (let next = waiting.shift(); next; next = waiting.shift()) {
        const [name, args] = next;
        const began = Date.now();
        const { ok, output } = await run(args, { show: false });
        process.stdout.write(
          `${ok ? 'ok    ' : 'FAILED'} ${name} (${((Date.now() - began) / 1000).toFixed(0)} s)\n${ok ? '' : `${output}\n`}`
        );
        ok ? passed++ : failed++;
      }
    })
  );
}

/** A test runner that writes what became of each test as JSON. `aside`: it runs beside others, and is shown when it is over. */
async function tests(name, args, count, { env = () => ({}), aside = false } = {}) {
  if (!wanted(name)) return;
  const file = join(scratch, `${name}.json`);
  const began = Date.now();
  if (!aside) process.stdout.write(`--- ${name}\n`);
  const { ok, output } = await run(args(file), { show: !aside, env: env(file) });
  if (aside) process.stdout.write(`--- ${name}\n${output}`);
  let counts;
  try {
    counts = count(JSON.parse(readFileSync(file, 'utf8')));
  } catch {
    // With nothing that a change touches there is nothing to write.
    counts = { passed: 0, failed: ok && changed ? 0 : 1, flaky: [], times: [], files: {} };
  }
  // A runner that fails without a failed test (a setup, an unhandled error) has failed all the same.
  if (!ok && counts.failed === 0) counts.failed = 1;
  passed += counts.passed;
  failed += counts.failed;
  times.push(...counts.times);
  Object.assign(files, counts.files);
  for (const title of counts.flaky) process.stdout.write(`passed only when tried again: ${title}\n`);
  process.stdout.write(`--- ${name}: ${((Date.now() - began) / 1000).toFixed(0)} s\n`);
}

const vitest = (project) => (file) => [
  ...node('vitest/vitest.mjs', 'run', '--project', project, '--reporter=default', '--reporter=json'),
  `--outputFile.json=${file}`,
  ...(changed ? ['--changed', '--passWithNoTests'] : [])
];
const vitestCount = (r) => ({
  passed: r.numPassedTests,
  failed: r.numFailedTests + r.numFailedTestSuites * (r.numFailedTests ? 0 : 1),
  flaky: [],
  times: r.testResults.flatMap((f) => f.assertionResults.map((t) => [t.duration ?? 0, t.fullName])),
  files: Object.fromEntries(
    r.testResults.map((f) => [relative(ROOT, f.name), Math.round((f.endTime - f.startTime) / 1000)])
  )
});
/** All tests of a Playwright suite, with those of the suites inside it. */
const specsOf = (suite) => [...(suite.specs ?? []), ...(suite.suites ?? []).flatMap(specsOf)];
const playwrightCount = (r) => {
  const specs = r.suites.flatMap(specsOf);
  return {
    passed: r.stats.expected + r.stats.flaky,
    failed: r.stats.unexpected,
    flaky: specs.filter((s) => s.tests.some((t) => t.status === 'flaky')).map((s) => s.title),
    times: specs.map((s) => [Math.max(0, ...s.tests.flatMap((t) => t.results.map((x) => x.duration))), s.title]),
    files: {}
  };
};

if (wanted('browser') || wanted('integration') || wanted('faults')) ensureBuild();
await run(node('@sveltejs/kit/svelte-kit.js', 'sync'), { show: false });
const code = changes.filter((name) => /\.(?:ts|js|mjs|svelte)$/.test(name));
// Those that mostly wait (for what was killed to come back) run beside those that mostly work.
await Promise.all([
  tests('faults', vitest('faults'), vitestCount, { aside: true }),
  (async () => {
    await checks([
      ...(changed && !code.length
        ? []
        : [['lint', node('eslint/bin/eslint.js', '--max-warnings', '0', ...(changed ? code : ['.']))]]),
      // Knows the types of all files, those of Svelte and the others.
      ['svelte-check', node('svelte-check/bin/svelte-check', '--tsconfig', './tsconfig.json', '--fail-on-warnings')],
      ['format', node('prettier/bin/prettier.cjs', '--check', '--log-level', 'warn', '.')],
      ['unused', node('knip/bin/knip.js', '--no-progress')]
    ]);
    await tests('unit', vitest('unit'), vitestCount);
  })()
]);
await tests('integration', vitest('integration'), vitestCount);
await tests(
  'browser',
  () => node('@playwright/test/cli.js', 'test', ...(changed ? ['--only-changed', '--pass-with-no-tests'] : [])),
  playwrightCount,
  { env: (file) => ({ PLAYWRIGHT_JSON_OUTPUT_NAME: file }) }
);

if (process.env.RECORD) {
  const kept = join(ROOT, 'tests/times.json');
  const known = existsSync(kept) ? JSON.parse(readFileSync(kept, 'utf8')) : {};
  const all = Object.entries({ ...known, ...files }).filter(([name]) => existsSync(join(ROOT, name)));
  writeFileSync(kept, `${JSON.stringify(Object.fromEntries(all.sort()), null, 2)}\n`);
}
rmSync(scratch, { recursive: true, force: true });
const slowest = times.sort((a, b) => b[0] - a[0]).slice(0, 10);
if (slowest.length) process.stdout.write('\nThe ten slowest tests:\n');
for (const [ms, title] of slowest) process.stdout.write(`${(ms / 1000).toFixed(1).padStart(6)} s  ${title}\n`);
process.stdout.write(`\n${passed} passed, ${failed} failed\n`);
process.exit(failed ? 1 : 0);
