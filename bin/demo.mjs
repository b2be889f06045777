// npm run demo: installs what is missing, builds what is stale, starts everything.
import { fork } from 'node:child_process';
import { readFileSync } from 'node:fs';
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

// npm may be ended without a word to what it runs, which is a shell that runs us: both are watched for.
const parentOf = (pid) => {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[1];
  } catch {
    return null;
  }
};
const starters = () => [process.ppid, process.env.npm_lifecycle_event ? parentOf(process.ppid) : null].join();
const begunBy = starters();
setInterval(() => {
  if (starters() !== begunBy) child.kill('SIGTERM');
}, 1000).unref();
