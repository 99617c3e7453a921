import { expect, test } from '@jest/globals';
import { failuresOfJest, failuresOfPlaywright } from './failures.ts';

const suite = { name: 'fold.test.ts', status: 'passed', message: '', assertionResults: [] };
const passed = { fullName: 'folds', status: 'passed', failureMessages: [] };

test('of Jest’s report each failed test is told with what went wrong, and each file that does not load', () => {
  const red = '\u001b[31mwrong\u001b[39m';
  const failures = failuresOfJest({
    numPassedTests: 2,
    testResults: [
      { ...suite, assertionResults: [passed] },
      {
        ...suite,
        status: 'failed',
        message: 'all of it',
        assertionResults: [
          passed,
          { fullName: 'is wide', status: 'failed', failureMessages: [`${red}\nat 1`, 'and again'] },
        ],
      },
      { ...suite, name: 'broken.test.ts', status: 'failed', message: 'Cannot find module' },
    ],
  });
  expect(failures).toEqual([
    'fold.test.ts: is wide\n    wrong\n    at 1\n    and again',
    'broken.test.ts\n    Cannot find module',
  ]);
});

test('of Playwright’s report each failed journey is told, however deep it lies, and what went wrong beside them', () => {
  const spec = { file: 'song.spec.ts', title: 'plays', ok: true, tests: [{ results: [] }] };
  const long = Array.from({ length: 99 }, (_, line) => `line ${line}`).join('\n');
  const failures = failuresOfPlaywright({
    stats: { expected: 1, flaky: 0 },
    suites: [
      {
        specs: [spec],
        suites: [
          {
            specs: [
              {
                ...spec,
                title: 'stops',
                ok: false,
                tests: [{ results: [{ errors: [{ message: long }] }] }],
              },
            ],
          },
        ],
      },
    ],
    errors: [{ message: 'no browser' }],
  });
  expect(failures).toHaveLength(2);
  expect(failures[0]).toMatch(/^song\.spec\.ts: stops\n {4}line 0\n/);
  expect(failures[0].split('\n')).toHaveLength(25);
  expect(failures[1]).toBe('beside the journeys\n    no browser');
});
