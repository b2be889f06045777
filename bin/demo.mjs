// npm run demo: installs what is missing, builds what is stale, starts everything.
import { spawn } from 'node:child_process';
import { ensureBuild, ensureDebian, ensurePackages, ROOT } from './setup.mjs';

ensurePackages();
ensureDebian(['postgresql']);
ensureBuild();

const child = spawn(process.execPath, ['--import', 'tsx', 'bin/demo.ts', ...process.argv.slice(2)], {
  cwd: ROOT,
  stdio: 'inherit'
});
// Ctrl C reaches the child by itself; this process only waits for it to end in order.
process.on('SIGINT', () => undefined);
process.on('SIGTERM', () => child.kill('SIGTERM'));
child.on('exit', (code) => process.exit(code ?? 1));
