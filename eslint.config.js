import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import prettier from 'eslint-config-prettier';
import importX from 'eslint-plugin-import-x';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';
import { serverParts } from './tests/server-parts.js';

/** What each part may not reach, and why. The rules are those of docs/architecture.md. */
const zones = [
  {
    target: './core',
    from: ['./server', './src', './standins', './bin', './demo', './bench'],
    message: 'The core imports nothing from outside the core.'
  },
  {
    target: './server',
    from: ['./src', './standins', './bin', './demo', './bench'],
    message: 'The server knows no interface and no stand-in.'
  },
  {
    target: './standins',
    from: ['./core', './server', './src', './bin', './demo', './bench'],
    message: 'Stand-ins are outside services: SMTP and HTTP only.'
  },
  {
    target: './src',
    from: ['./standins', './bin', './demo', './bench'],
    message: 'Stand-ins are reached over SMTP and HTTP only.'
  }
];

/** Inside the server each part reads those that its line in docs/architecture.md names. */
const architecture = readFileSync(join(import.meta.dirname, 'docs/architecture.md'), 'utf8');
const inner = [...serverParts(architecture)].map(([part, others]) => ({
  target: `./server/${part}`,
  from: './server',
  except: [part, ...others].map((other) => `./${other}`).concat('./intake/token.ts', './config.ts'),
  message: `What server/${part} may read stands in docs/architecture.md, "Parts of the server".`
}));

/** Small pure libraries that the core may use; none does input or output. */
const CORE_MAY_IMPORT = [
  'zod',
  'temporal-polyfill',
  'diff',
  'immer',
  'liquidjs',
  'linkify-it',
  'jsonc-parser',
  'csv-parse/browser/esm/sync'
];

/** `'link' in part` tells members of a union apart; a name that somebody typed may be `constructor`. */
const OWN_KEYS = {
  selector: "BinaryExpression[operator='in']:not([left.type='Literal'])",
  message: 'A name is looked up among own keys only: Object.hasOwn, or own() of core/own.ts.'
};

export default ts.config(
  { ignores: ['build/', '.svelte-kit/', 'node_modules/', '.ambulo/', 'test-results/'] },
  ...ts.configs.strict,
  ...ts.configs.stylistic,
  ...svelte.configs['flat/recommended'],
  prettier,
  ...svelte.configs['flat/prettier'],
  {
    languageOptions: { globals: { ...globals.node, ...globals.browser } },
    plugins: { 'import-x': importX },
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-non-null-assertion': 'error',
      '@typescript-eslint/no-empty-object-type': ['error', { allowInterfaces: 'with-single-extends' }],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-empty-function': 'off',
      '@typescript-eslint/no-dynamic-delete': 'off',
      '@typescript-eslint/no-unused-expressions': ['error', { allowTernary: true }],
      '@typescript-eslint/no-invalid-void-type': 'off',
      'svelte/no-navigation-without-resolve': 'off',
      'svelte/prefer-svelte-reactivity': 'off',
      'import-x/no-restricted-paths': [
        'error',
        {
          zones: [
            ...zones.flatMap((z) => z.from.map((from) => ({ target: z.target, from, message: z.message }))),
            ...inner
          ]
        }
      ],
      'no-restricted-syntax': ['error', OWN_KEYS],
      eqeqeq: 'error',
      'no-console': 'error'
    }
  },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, extraFileExtensions: ['.svelte'], svelteConfig } }
  },
  {
    files: ['core/**/*.ts', 'server/**/*.ts', 'src/**/*'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-syntax': [
        'error',
        OWN_KEYS,
        {
          selector: 'MemberExpression[computed=true][property.name=/^(name|field|column|label)$/]',
          message: 'A name is looked up among own keys only: own() of core/own.ts, or a Map.'
        }
      ]
    }
  },
  {
    files: ['core/**/*.ts'],
    ignores: ['core/**/*.test.ts'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            {
              regex: `^(?!\\.{1,2}/)(?!(${CORE_MAY_IMPORT.join('|')})$)`,
              message: 'The core imports small pure libraries only; the list is in eslint.config.js.'
            }
          ]
        }
      ],
      'no-restricted-globals': [
        'error',
        'process',
        'Buffer',
        'fetch',
        'window',
        'document',
        'localStorage',
        'setTimeout',
        'setInterval'
      ],
      'no-restricted-properties': [
        'error',
        { object: 'Date', property: 'now', message: 'The core has no clock: the instant is an argument.' },
        { object: 'Math', property: 'random', message: 'The core has no chance of its own.' }
      ]
    }
  },
  {
    files: ['src/ui/**/*', 'src/routes/**/*.svelte'],
    rules: {
      '@typescript-eslint/no-restricted-imports': [
        'error',
        {
          patterns: [
            {
              group: ['$server/*', '**/server/**'],
              allowTypeImports: true,
              message: 'The interface knows the server by its types only.'
            }
          ]
        }
      ]
    }
  },
  {
    // What only the types can tell: a promise that nobody waits for, a case that nobody thought of.
    files: ['**/*.ts'],
    ignores: ['**/*.svelte.ts'],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': [
        'error',
        { checksVoidReturn: { arguments: false, attributes: false } }
      ],
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }]
    }
  },
  { files: ['**/*.test.ts', 'tests/**/*.ts'], rules: { '@typescript-eslint/no-non-null-assertion': 'off' } }
);
