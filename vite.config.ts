import { sveltekit } from '@sveltejs/kit/vite';
import { playwright } from '@vitest/browser-playwright';
import tailwindcss from '@tailwindcss/vite';
import { fileURLToPath } from 'node:url';
import type { Plugin } from 'vite';
import { wuchale } from 'wuchale/vite';
import { defineConfig } from 'vitest/config';
import { chromium } from './scripts/chromium.mjs';

/** Tests on a database of their own run one file after the other. */
const onDatabase = {
  globalSetup: 'tests/support/database.ts',
  fileParallelism: false,
  testTimeout: 60_000,
  hookTimeout: 60_000,
};

const temporal = fileURLToPath(new URL('src/ui/shared/temporal.ts', import.meta.url));

/** Browsers that have `Temporal` bring no package for it. */
const browserTemporal: Plugin = {
  name: 'browser-temporal',
  enforce: 'pre',
  resolveId(id, importer, { ssr }) {
    return id === 'temporal-polyfill' && !ssr && importer !== temporal ? temporal : null;
  },
};

export default defineConfig({
  // Tests read the words as the code has them.
  plugins: [process.env.VITEST ? null : wuchale(), tailwindcss(), sveltekit(), browserTemporal],
  build: {
    rollupOptions: {
      // Flowbite's parts do nothing by being imported, though their package does not say so: what is not used is left out.
      treeshake: {
        moduleSideEffects: (id) => !/node_modules\/(flowbite-svelte|tailwind-variants)\//.test(id),
      },
    },
  },
  test: {
    projects: [
      {
        extends: true,
        test: {
          name: 'unit',
          include: [
            'src/**/*.test.ts',
            'docs/**/*.test.ts',
            'demo/**/*.test.ts',
            'scripts/**/*.test.ts',
          ],
          // Generated cases on a machine that is busy otherwise.
          testTimeout: 30_000,
          // What a file brings in is read once for all.
          isolate: false,
        },
      },
      {
        extends: true,
        // A part that is brought later must not bring another copy of what runs it.
        optimizeDeps: { include: ['bits-ui', '@internationalized/date'] },
        test: {
          name: 'components',
          include: ['tests/components/**/*.test.ts'],
          setupFiles: ['tests/components/setup.ts'],
          browser: {
            enabled: true,
            headless: true,
            screenshotFailures: false,
            provider: playwright({
              launchOptions: chromium,
              contextOptions: { locale: 'en-GB', timezoneId: 'Europe/London' },
            }),
            instances: [{ browser: 'chromium', viewport: { width: 1280, height: 800 } }],
          },
        },
      },
      {
        extends: true,
        test: {
          name: 'integration',
          include: ['tests/integration/**/*.test.ts'],
          ...onDatabase,
          isolate: false,
        },
      },
      {
        extends: true,
        test: {
          name: 'faults',
          include: ['tests/faults/**/*.test.ts'],
          ...onDatabase,
          env: { UNISOR_LOG: 'silent' },
        },
      },
      {
        extends: true,
        test: {
          name: 'cluster',
          include: ['tests/cluster/**/*.test.ts'],
          // Each starts the databases that it wants.
          fileParallelism: false,
          testTimeout: 60_000,
          env: { UNISOR_LOG: 'silent' },
        },
      },
    ],
  },
});
