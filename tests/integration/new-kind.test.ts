/**
 * A step kind stands in one place: a new one is put into a copy of the code, and the compiler says what else has to be
 * touched. Nothing but the list of kinds and the table of how they are shown.
 */
import { execFile } from 'node:child_process';
import { cpSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';

const root = join(import.meta.dirname, '../..');
let copy: string;

beforeAll(() => {
  mkdirSync(join(root, '.svelte-kit'), { recursive: true });
  // Inside the project, so that packages are found.
  copy = mkdtempSync(join(root, '.svelte-kit/new-kind-'));
  for (const part of ['core', 'server', 'src/ui']) cpSync(join(root, part), join(copy, part), { recursive: true });
  const { compilerOptions } = JSON.parse(readFileSync(join(root, 'tsconfig.json'), 'utf8')) as {
    compilerOptions: object;
  };
  const options = {
    ...compilerOptions,
    module: 'esnext',
    moduleResolution: 'bundler',
    target: 'esnext',
    verbatimModuleSyntax: true,
    incremental: true,
    tsBuildInfoFile: './build-info',
    paths: { '$core/*': ['./core/*'], '$server/*': ['./server/*'], '$ui/*': ['./src/ui/*'] },
    types: ['node', '@sveltejs/kit', 'svelte']
  };
  writeFileSync(
    join(copy, 'tsconfig.json'),
    JSON.stringify({ compilerOptions: options, include: ['core', 'server', 'src/ui'], exclude: ['**/*.test.ts'] })
  );
});
afterAll(() => rmSync(copy, { recursive: true, force: true }));

/** Files the compiler finds fault with. */
function faulty(): Promise<string[]> {
  const tsc = join(root, 'node_modules/typescript/bin/tsc');
  return new Promise((resolve) => {
    execFile(process.execPath, [tsc, '--noEmit', '-p', copy], { cwd: copy }, (_error, out) => {
      const lines = out.split('\n').filter((line) => /^\S+\(\d+,\d+\): error/.test(line));
      resolve([...new Set(lines.map((line) => line.split('(')[0] ?? ''))]);
    });
  });
}

function change(file: string, ...replacements: [string, string][]): void {
  const path = join(copy, file);
  let text = readFileSync(path, 'utf8');
  for (const [from, to] of replacements) {
    expect(text, `${file} no longer says ${from}`).toContain(from);
    text = text.replace(from, to);
  }
  writeFileSync(path, text);
}

const KIND = `
import { z } from 'zod';
import { atOnce, common, counted, goOn, lacksNothing, noLanes, readsNothing, type StepKind } from './base.ts';

export const stampSchema = z.strictObject({ ...common, kind: z.literal('stamp') });
export type StampStep = z.infer<typeof stampSchema>;

export const stamp: StepKind<StampStep> = {
  does: 'put a stamp on',
  reads: readsNothing,
  reaches: null,
  lacks: lacksNothing,
  create: (key) => ({ key, kind: 'stamp' }),
  lanes: noLanes,
  run: (_step, here) => goOn(here, { do: 'note', what: 'stamped', detail: {} }),
  card: () => ({ title: 'Stamp', line: '' }),
  tell: () => 'They get a stamp.',
  lasts: atOnce,
  done: 'stamped',
  figure: counted('stamped'),
  trail: { stamped: () => ['Stamped', ''] }
};
`;

it('a new kind of step touches the list of kinds and the table of how they are shown, and no other file', async () => {
  // That the code compiles as it is, the last look says too.
  writeFileSync(join(copy, 'core/steps/stamp.ts'), KIND);
  change(
    'core/steps/index.ts',
    [`import { sms,`, `import { stamp, stampSchema, type StampStep } from './stamp.ts';\nimport { sms,`],
    ['  leaveSchema\n', '  leaveSchema,\n  stampSchema\n'],
    ['  | LeaveStep;', '  | LeaveStep\n  | StampStep;']
  );
  // Without its line in the table of behaviours, and in that of how kinds are shown, it does not compile.
  expect((await faulty()).sort()).toEqual(['core/steps/index.ts', 'src/ui/sheet/kinds.ts']);

  change('core/steps/index.ts', ['  loop,\n  leave\n};', '  loop,\n  leave,\n  stamp\n};']);
  change('src/ui/sheet/kinds.ts', ['  leave: {', "  stamp: { icon: Exit, called: 'Stamp', panel: null },\n  leave: {"]);
  expect(await faulty()).toEqual([]);
}, 180_000);
