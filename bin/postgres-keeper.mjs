// Keeps one PostgreSQL server for the process that started this one, and ends it when that process ends, however it
// ends: their channel closes. Plain JavaScript, because it starts with every cluster and should do so at once.
// Told how by a message: { bin, data, log, again, user, cwd, env }.
import { spawn } from 'node:child_process';
import { openSync, closeSync } from 'node:fs';

let server = null;
let ending = false;

function run({ bin, data, log, again, user, cwd, env }) {
  const out = openSync(log, 'a', 0o600);
  server = spawn(bin, ['-D', data], { ...user, cwd, env, stdio: ['ignore', out, out], detached: true });
  closeSync(out);
  process.send?.({ pid: server.pid });
  server.once('error', (error) => process.send?.({ ended: error.message }));
  server.once('exit', (code, signal) => {
    server = null;
    if (process.connected) process.send({ ended: String(signal ?? code) });
    if (ending || !again) process.exit(0);
    setTimeout(() => (ending ? process.exit(0) : run({ bin, data, log, again, user, cwd, env })), 1000);
  });
}

/** SIGINT: PostgreSQL ends its connections, writes everything down and stops. SIGQUIT: at once, as a crash. */
function end(signal) {
  ending = true;
  if (server) server.kill(signal);
  else process.exit(0);
}

process.on('message', (message) => {
  if (message.end) end(message.end);
  else run(message);
});
process.on('disconnect', () => end('SIGINT'));
process.on('SIGTERM', () => end('SIGINT'));
process.on('SIGINT', () => end('SIGINT'));
