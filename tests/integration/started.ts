/** A start of its own process, for tests that end it: says when it is ready, and what it says. */
import { start } from '../../bin/start.ts';
import { DEMO_START } from '../../demo/load.ts';

const [dir = ''] = process.argv.slice(2);
try {
  const running = await start({
    root: process.cwd(),
    dir,
    fresh: false,
    clock: DEMO_START,
    careless: true,
    say: (line) => process.send?.({ said: line })
  });
  process.send?.({ ready: true, url: running.databaseUrl, web: running.web, postgres: running.cluster.pid() });
} catch (error) {
  process.send?.({ problem: (error as Error).message });
  process.exit(1);
}
