import js from '@eslint/js';
import prettier from 'eslint-config-prettier';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

/** The folders of core in the order in which data flows; a folder imports only those before it. */
const coreOrder = [
  'values',
  'access',
  'formula',
  'outside',
  'table',
  'plan',
  'wiring',
  'entry',
  'formats',
];

const refuse = (message, ...group) => ({ group, message });
const restricted = (...patterns) => ({ 'no-restricted-imports': ['error', { patterns }] });

const outsideCore = refuse(
  'core is pure: it imports nothing of ours outside itself.',
  '$lib/**',
  '$app/**',
  '**/server/**',
  '**/ui/**',
  'svelte',
  'svelte/**',
  'knex',
  'mysql2',
  'node:*',
);

/** Import directions: routes → ui → core, routes → server → core; inside core, never back. */
const directions = [
  {
    files: ['src/core/**/*.ts'],
    ignores: ['src/core/**/*.test.ts'],
    rules: restricted(outsideCore),
  },
  ...coreOrder.slice(0, -1).map((folder, i) => ({
    files: [`src/core/${folder}/**/*.ts`],
    ignores: ['src/core/**/*.test.ts'],
    rules: restricted(
      outsideCore,
      refuse(
        `core flows ${coreOrder.join(' → ')}; never back.`,
        ...coreOrder.slice(i + 1).map((later) => `**/${later}/**`),
      ),
    ),
  })),
  {
    files: ['src/ui/**'],
    rules: restricted(refuse('ui never imports server.', '$lib/server/**', '**/server/**')),
  },
  {
    files: ['src/server/**/*.ts'],
    rules: restricted(
      refuse(
        'server never imports ui.',
        '$lib/ui/**',
        '**/ui/**',
        '$lib/routes/**',
        'svelte',
        'svelte/**',
      ),
    ),
  },
];

export default ts.config(
  { ignores: ['build/', '.svelte-kit/', 'node_modules/', '.unisor/', 'test-results/'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  prettier,
  ...svelte.configs.prettier,
  {
    languageOptions: { globals: { ...globals.browser, ...globals.node } },
    rules: {
      'no-undef': 'off',
      '@typescript-eslint/no-non-null-assertion': 'error',
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
      'svelte/no-navigation-without-resolve': 'off',
    },
  },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: {
      parserOptions: { parser: ts.parser, extraFileExtensions: ['.svelte'], svelteConfig },
    },
  },
  {
    files: ['src/core/**/*.ts'],
    ignores: ['src/core/**/*.test.ts'],
    rules: {
      'no-restricted-globals': ['error', 'fetch', 'window', 'document', 'process', 'setTimeout'],
      'no-restricted-properties': [
        'error',
        { object: 'Date', property: 'now', message: 'The host gives the time.' },
        { object: 'Math', property: 'random', message: 'core knows no randomness.' },
      ],
    },
  },
  ...directions,
);
