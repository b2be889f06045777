// What a fresh machine lacks: npm packages, Debian packages. Plain JavaScript,
// because it runs before anything is installed.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

export const ROOT = join(import.meta.dirname, '..');

const say = (line) => process.stdout.write(`· ${line}\n`);

/** Runs a command with its output shown; true where it succeeded. */
export function run(command, args, options = {}) {
  return spawnSync(command, args, { cwd: ROOT, stdio: ['ignore', 'inherit', 'inherit'], ...options }).status === 0;
}

const [major, minor] = process.versions.node.split('.').map(Number);
if (major < 20 || (major === 20 && minor < 19)) {
  process.stderr.write(`Ambulo needs Node.js 20.19 or later; this is ${process.versions.node}.\n`);
  process.exit(1);
}

function stamp(name, value) {
  const file = join(ROOT, 'node_modules', `.ambulo-${name}`);
  if (value === undefined) return existsSync(file) ? readFileSync(file, 'utf8') : '';
  mkdirSync(join(ROOT, 'node_modules'), { recursive: true });
  writeFileSync(file, value);
  return value;
}

const hash = (text) => createHash('sha256').update(text).digest('hex');

/** Installs the npm packages of the lock file, where that has not been done yet. */
export function ensurePackages() {
  const wanted = hash(readFileSync(join(ROOT, 'package-lock.json')));
  if (stamp('packages') === wanted) return;
  say('installing npm packages');
  if (!run('npm', ['ci', '--include=dev', '--no-audit', '--no-fund', '--loglevel=error'])) {
    process.stderr.write(
      'The npm packages could not be installed. Is the npm registry reachable? "npm ci" shows more.\n'
    );
    process.exit(1);
  }
  stamp('packages', wanted);
}

const has = {
  postgresql: () =>
    existsSync('/usr/lib/postgresql') &&
    readdirSync('/usr/lib/postgresql').some((v) => existsSync(`/usr/lib/postgresql/${v}/bin/initdb`)),
  chromium: () => existsSync('/usr/bin/chromium')
};

/** Installs Debian packages through apt when it may; otherwise prints the line to run, and stops. */
export function ensureDebian(names) {
  const missing = names.filter((name) => !has[name]());
  if (!missing.length) return;
  const line = `apt-get update && apt-get install -y --no-install-recommends ${missing.join(' ')}`;
  const root = process.getuid?.() === 0;
  if (root && existsSync('/usr/bin/apt-get')) {
    say(`installing Debian packages: ${missing.join(', ')}`);
    run('sh', ['-c', `${line} >/dev/null`], { env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' } });
    if (missing.every((name) => has[name]())) return;
  }
  process.stderr.write(
    `\nThis needs the Debian packages ${missing.join(' and ')}. Install them, then run this again:\n\n  ${root ? '' : 'sudo sh -c "'}${line}${root ? '' : '"'}\n\n`
  );
  process.exit(1);
}

function newest(folder, skip = /node_modules|\.svelte-kit|^build$|^\./) {
  let latest = 0;
  for (const entry of readdirSync(join(ROOT, folder), { withFileTypes: true })) {
    if (skip.test(entry.name)) continue;
    const path = join(folder, entry.name);
    latest = Math.max(latest, entry.isDirectory() ? newest(path, skip) : statSync(join(ROOT, path)).mtimeMs);
  }
  return latest;
}

/** Builds the web server, where its sources are newer than the last build. */
export function ensureBuild() {
  const built = join(ROOT, 'build', 'index.js');
  const sources = Math.max(
    ...['src', 'core', 'server', 'static'].map((f) => newest(f)),
    ...['svelte.config.js', 'vite.config.ts', 'package-lock.json'].map((f) => statSync(join(ROOT, f)).mtimeMs)
  );
  if (existsSync(built) && statSync(built).mtimeMs > sources) return;
  say('building the web server');
  const done = spawnSync(process.execPath, ['node_modules/vite/bin/vite.js', 'build', '--logLevel', 'error'], {
    cwd: ROOT,
    encoding: 'utf8'
  });
  if (done.status !== 0) {
    process.stderr.write(`${done.stdout}${done.stderr}\nThe web server could not be built.\n`);
    process.exit(1);
  }
}
