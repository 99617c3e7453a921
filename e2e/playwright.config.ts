import { defineConfig } from '@playwright/test';
import { findChromium } from '@pannet/launcher/debian';
import { launchOptions } from './launch-options.ts';

export default defineConfig({
  testDir: '.',
  workers: 1,
  timeout: 120_000,
  expect: { timeout: 15_000 },
  globalSetup: './global-setup.ts',
  outputDir: '../test-results',
  use: {
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    launchOptions: launchOptions(findChromium()),
  },
});
