/** `ambulo schema`: the JSON Schema of journeys and settings. */
import { parseArgs } from 'node:util';
import { documentSchemas } from '../../core/journey/json-schema.ts';

const USAGE = 'usage: ambulo schema\n';

/** Prints one JSON Schema (2020-12) that defines both documents. */
export function schema(args: string[]): Promise<number> {
  try {
    parseArgs({ args, options: {} });
  } catch (error) {
    process.stderr.write(`ambulo schema: ${(error as Error).message}\n${USAGE}`);
    return Promise.resolve(2);
  }
  process.stdout.write(JSON.stringify(documentSchemas(), null, 2) + '\n');
  return Promise.resolve(0);
}
