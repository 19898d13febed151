import js from '@eslint/js';
import prettier from 'eslint-config-prettier';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

export default ts.config(
  {
    ignores: [
      'build/',
      '.svelte-kit/',
      'node_modules/',
      '.unisor/',
      'test-results/',
      'src/locales/.wuchale/',
      'src/locales/data.js',
    ],
  },
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
    // Controls are made in one place; screens know no other.
    files: ['src/**/*.svelte', 'src/ui/**/*.ts', 'src/routes/**/*.ts'],
    ignores: ['src/ui/parts/**'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          paths: ['flowbite-svelte', 'bits-ui', '@tanstack/svelte-virtual'].map((name) => ({
            name,
            message: 'Take the part from $lib/ui/parts.',
          })),
        },
      ],
      'svelte/no-restricted-html-elements': [
        'error',
        {
          elements: ['input', 'select', 'textarea', 'button', 'table', 'dialog', 'details'],
          message: 'Take the part from $lib/ui/parts.',
        },
      ],
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
);
