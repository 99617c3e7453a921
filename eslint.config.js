import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/** Folders of the core, from the ground up; each may import only from itself and from those before it. */
const floors = [
  'quantities',
  'parameters',
  'signal',
  'formats',
  'measurement',
  'sources',
  'takes',
  'amps',
  'voices',
  'image',
  'moves',
  'rooms',
  'performing',
  'song',
  'derived',
  'rendering',
  'findings',
  'comparing',
  'demo',
];

const floorRules = floors.slice(0, -1).map((folder, n) => ({
  files: [`packages/core/src/${folder}/**/*.ts`],
  ignores: ['**/*.test.ts', '**/*.fixture.ts'],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          { group: ['node:*'] },
          {
            group: floors.slice(n + 1).map((above) => `../${above}/*`),
            message: `${folder}/ stands below that folder; see docs/architecture.md.`,
          },
        ],
      },
    ],
  },
}));

/** Folders of the browser, from the ground up: a place imports the session and not the frame, the frame imports the places. */
const webFloors = [
  'styles',
  'workers',
  'controls',
  'api',
  'sync',
  'accounts',
  'playback',
  'waves',
  'measuring',
  'comparing',
  'session',
  'importing',
  'handoff',
  'help',
  'parts',
  'tempo',
  'strip',
  'image',
  'takes',
  'fold',
  'transport',
  'report',
  'overview',
  'among',
  'compare',
  'frame',
  'songs',
];

const webFloorRules = webFloors.slice(0, -1).map((folder, n) => ({
  files: [`packages/web/src/${folder}/**/*.{ts,tsx}`],
  ignores: ['**/*.test.ts', '**/*.test.tsx'],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          {
            group: webFloors.slice(n + 1).map((above) => `../${above}/*`),
            message: `${folder}/ stands below that folder; see docs/architecture.md.`,
          },
        ],
      },
    ],
  },
}));

export default tseslint.config(
  { ignores: ['**/dist/**', '**/node_modules/**', '.pannet/**', '**/test-results/**'] },
  ...tseslint.configs.recommended,
  {
    rules: {
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-unused-vars': [
        'error',
        { argsIgnorePattern: '^_', varsIgnorePattern: '^_' },
      ],
      eqeqeq: ['error', 'always', { null: 'ignore' }],
    },
  },
  {
    // Nest reads the types of constructor parameters at run time.
    files: ['packages/server/**/*.ts'],
    rules: { '@typescript-eslint/consistent-type-imports': 'off' },
  },
  {
    // The core knows no screen, network, file system, database, clock or chance.
    files: ['packages/core/src/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-globals': [
        'error',
        'window',
        'document',
        'fetch',
        'process',
        'Date',
        'performance',
        'setTimeout',
      ],
      'no-restricted-properties': [
        'error',
        { object: 'Math', property: 'random', message: 'Chance is a seed in the document.' },
      ],
      'no-restricted-imports': ['error', { patterns: ['node:*'] }],
    },
  },
  ...floorRules,
  ...webFloorRules,
  { files: ['**/*.cjs'], rules: { '@typescript-eslint/no-require-imports': 'off' } },
  { files: ['packages/web/**/*.{ts,tsx}'], ...reactHooks.configs.flat.recommended },
);
