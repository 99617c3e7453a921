import { fileURLToPath } from 'node:url';

const swc = (tsx) => [
  fileURLToPath(new URL('jest.transform.js', import.meta.url)),
  {
    jsc: {
      target: 'es2023',
      parser: { syntax: 'typescript', tsx, decorators: true },
      transform: {
        legacyDecorator: true,
        decoratorMetadata: true,
        ...(tsx ? { react: { runtime: 'automatic' } } : {}),
      },
    },
    module: { type: 'es6' },
  },
];

const project = (name, more = {}) => ({
  displayName: name,
  rootDir: `packages/${name}`,
  testMatch: ['<rootDir>/src/**/*.test.{ts,tsx}'],
  extensionsToTreatAsEsm: ['.ts', '.tsx'],
  transform: { '\\.tsx$': swc(true), '\\.ts$': swc(false) },
  testEnvironmentOptions: { customExportConditions: ['pannet-source', 'node'] },
  ...more,
});

export default {
  // By itself Jest leaves a core idle: on two that is half of the time.
  maxWorkers: '100%',
  // Ends what hangs. It is no mark of speed (those are in bench/): `./pannet test` gives them only what the journeys leave of the processor.
  testTimeout: 120_000,
  projects: [
    project('core'),
    project('cli'),
    project('launcher'),
    project('server', {
      globalSetup: '<rootDir>/cluster-setup.js',
      globalTeardown: '<rootDir>/cluster-teardown.js',
    }),
    project('web', {
      testEnvironment: 'jsdom',
      testEnvironmentOptions: { customExportConditions: ['pannet-source', 'browser'] },
      moduleNameMapper: {
        // The same icons in one file: loading 1500 takes two seconds for each suite.
        '^@phosphor-icons/react$': '<rootDir>/src/testing/icons.cjs',
        '\\.(s?css)$': '<rootDir>/src/testing/no-styles.js',
        'player\\.worklet\\.ts': '<rootDir>/src/testing/worklet-url.js',
      },
      setupFiles: ['<rootDir>/src/testing/browser-gaps.js'],
    }),
  ],
};
