/** `ambulo COMMAND …`: finds the command and says what there is. */
import { trace } from './commands/trace.ts';

const COMMANDS: Record<string, { run: (args: string[]) => Promise<number>; does: string }> = {
  trace: { run: trace, does: 'replay people and happenings through journeys and print the trail' }
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
