/** `ambulo COMMAND …`: finds the command and says what there is. */
import { check } from './commands/check.ts';
import { schema } from './commands/schema.ts';
import { trace } from './commands/trace.ts';
import { worker } from './commands/worker.ts';

// Whoever reads may have seen enough: a closed pipe ends the command, quietly.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit(0);
  throw error;
});

const COMMANDS: Record<string, { run: (args: string[]) => Promise<number>; does: string }> = {
  trace: { run: trace, does: 'replay people and happenings through journeys and print the trail' },
  check: { run: check, does: 'say what is wrong with journeys, and what is worth a look, without running them' },
  worker: { run: worker, does: 'work for the database that DATABASE_URL names; any number may' },
  schema: { run: schema, does: 'print the JSON Schema of journeys and settings' }
};

const [name, ...args] = process.argv.slice(2);
const command = name === undefined ? undefined : COMMANDS[name];
if (!command) {
  const list = Object.entries(COMMANDS).map(([n, c]) => `  ${n.padEnd(8)} ${c.does}`);
  process.stderr.write(
    `${name ? `ambulo: there is no command "${name}"\n` : ''}usage: ambulo COMMAND …\n${list.join('\n')}\n`
  );
  process.exitCode = 2;
} else {
  process.exitCode = await command.run(args);
}
