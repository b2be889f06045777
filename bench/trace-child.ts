/** Runs `ambulo trace` and says at the end how much memory it held at most. */
import { trace } from '../bin/commands/trace.ts';

process.exitCode = await trace(process.argv.slice(2));
process.stderr.write(`maxrss ${process.resourceUsage().maxRSS}\n`);
