import type { LaunchOptions } from '@playwright/test';

/** How a browser is started for the journeys. */
export function launchOptions(executablePath: string | undefined): LaunchOptions {
  return {
    ...(executablePath === undefined ? {} : { executablePath }),
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
  };
}
