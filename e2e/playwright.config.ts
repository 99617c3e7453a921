import { defineConfig } from '@playwright/test';

/** Journeys in which is listened, in real time. */
const listening = /(amps|fold-and-ear|large-song|main-job|moves|no-click|song|takes)\.spec\.ts$/;

export default defineConfig({
  testDir: '.',
  // Two at once, one of each: while one listens as long as it plays, the other has a core to compute.
  workers: 2,
  projects: [
    { name: 'listening', testMatch: listening, workers: 1 },
    { name: 'working', testIgnore: listening, workers: 1 },
  ],
  timeout: 120_000,
  expect: { timeout: 15_000 },
  globalSetup: './global-setup.ts',
  outputDir: '../test-results',
  use: {
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--autoplay-policy=no-user-gesture-required',
      ],
    },
  },
});
