/** Test files in the order of how long they took, the longest first: none of them begins when the others are over. */
import { existsSync, readFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { BaseSequencer, type TestSpecification } from 'vitest/node';

const root = join(import.meta.dirname, '..');
const file = join(import.meta.dirname, 'times.json');
const times = existsSync(file) ? (JSON.parse(readFileSync(file, 'utf8')) as Record<string, number>) : {};

export class LongestFirst extends BaseSequencer {
  override sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    // One that was never timed may be anything.
    const secondsOf = ({ moduleId }: TestSpecification): number => times[relative(root, moduleId)] ?? Infinity;
    return Promise.resolve([...files].sort((a, b) => secondsOf(b) - secondsOf(a)));
  }
}
