import { sveltekit } from '@sveltejs/kit/vite';
import type { Plugin as PostcssPlugin } from 'postcss';
import { defineConfig } from 'vitest/config';

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

export default defineConfig({
  plugins: [sveltekit()],
  css: { postcss: { plugins: [dropForeignFonts] } },
  server: { host: '127.0.0.1' },
  test: {
    projects: [
      {
        extends: true,
        test: {
          name: 'unit',
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
          environment: 'node',
          globalSetup: ['tests/integration/setup.ts'],
          // Each test has a database of its own; two files at a time, as there are cores.
          maxWorkers: 2,
          testTimeout: 60_000,
          hookTimeout: 60_000
        }
      }
    ]
  }
});
