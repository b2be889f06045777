// npm run demo: installs what is missing, builds what is stale, starts everything.
import { fork } from 'node:child_process';
import { ensureBuild, ensureDebian, ensurePackages, ROOT } from './setup.mjs';

ensurePackages();
ensureDebian(['postgresql']);
ensureBuild();

const child = fork('bin/demo.ts', process.argv.slice(2), {
  cwd: ROOT,
  execArgv: ['--import', 'tsx'],
  // The channel closes when this process ends, however it ends; everything that was started then ends too.
  stdio: ['inherit', 'inherit', 'inherit', 'ipc']
});
// Ctrl C reaches the child by itself; this process only waits for it to end in order.
process.on('SIGINT', () => undefined);
for (const signal of ['SIGTERM', 'SIGHUP']) process.on(signal, () => child.kill('SIGTERM'));
child.on('exit', (code) => process.exit(code ?? 1));

// npm may be ended without a word to what it runs.
const starter = process.ppid;
setInterval(() => {
  if (process.ppid !== starter) child.kill('SIGTERM');
}, 1000).unref();
