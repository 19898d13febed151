import { defineConfig } from '@playwright/test';
import { chromium } from './scripts/chromium.mjs';

export default defineConfig({
  testDir: 'tests/journeys',
  outputDir: 'test-results/journeys',
  globalSetup: './tests/support/journey-setup.ts',
  fullyParallel: false,
  workers: 1,
  // A shared machine may stall; a journey that fails twice has failed.
  retries: process.env.CI ? 1 : 0,
  timeout: 90_000,
  expect: { timeout: 15_000 },
  use: {
    locale: 'en-GB',
    storageState: 'test-results/signed-in.json',
    viewport: { width: 1280, height: 800 },
    trace: 'retain-on-failure',
    launchOptions: chromium,
  },
});
