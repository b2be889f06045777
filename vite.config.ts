import { sveltekit } from '@sveltejs/kit/vite';
import type { Plugin as PostcssPlugin } from 'postcss';
import { defineConfig } from 'vitest/config';
import { LongestFirst } from './tests/longest-first.ts';

/**
 * Carbon's stylesheet declares its typeface at a content network. The
 * application ships its own font and asks no other host for anything, so every
 * font face that points elsewhere is dropped at build time.
 */
const dropForeignFonts: PostcssPlugin = {
  postcssPlugin: 'drop-foreign-fonts',
  AtRule: {
    'font-face': (rule) => {
      if (/https?:\/\//.test(rule.toString())) rule.remove();
    }
  }
};

/** Tests that kill what runs, and mostly wait for it to come back; each starts what it needs by itself. */
const OUTAGES = ['faults', 'processes', 'cluster'].map((name) => `tests/integration/${name}.test.ts`);

export default defineConfig({
  plugins: [sveltekit()],
  css: { postcss: { plugins: [dropForeignFonts] } },
  server: { host: '127.0.0.1' },
  test: {
    sequence: { sequencer: LongestFirst },
    projects: [
      {
        extends: true,
        test: {
          name: 'unit',
          // Nothing that they import keeps anything of one test for another.
          pool: 'threads',
          isolate: false,
          include: ['{core,server,standins,src,bin}/**/*.test.ts'],
          environment: 'node',
          // Commands are started as processes of their own, on machines that do other things as well.
          testTimeout: 60_000
        }
      },
      {
        extends: true,
        test: {
          name: 'integration',
          include: ['tests/integration/**/*.test.ts'],
          exclude: OUTAGES,
          environment: 'node',
          globalSetup: ['tests/integration/setup.ts'],
          // Each test has a database of its own; two files at a time, as there are cores.
          maxWorkers: 2,
          testTimeout: 60_000,
          hookTimeout: 60_000
        }
      },
      {
        extends: true,
        test: {
          name: 'faults',
          include: OUTAGES,
          environment: 'node',
          maxWorkers: 1,
          testTimeout: 60_000,
          hookTimeout: 60_000
        }
      }
    ]
  }
});
