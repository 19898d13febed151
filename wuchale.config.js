// @ts-check
import { adapter as svelte } from '@wuchale/svelte';
import { defineConfig } from 'wuchale';
import { adapter as plain } from 'wuchale/adapter-vanilla';

export default defineConfig({
  locales: ['en', 'de', 'fr'],
  localesDir: 'src/words',
  adapters: {
    ui: svelte({ files: ['src/**/*.svelte', 'src/**/*.svelte.ts'], loader: 'custom' }),
    core: plain({ files: { include: ['src/core/**/*.ts', 'src/ui/**/*.ts', 'src/server/**/*.ts'], ignore: ['**/*.test.ts', '**/*.svelte.ts'] }, loader: 'custom' }),
  },
});
