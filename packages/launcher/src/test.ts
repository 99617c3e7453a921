import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromiumNeed, ffmpegNeed, headlessNeed, install, postgresNeed } from './debian.ts';
import {
  failuresOfJest,
  failuresOfPlaywright,
  type JestReport,
  type PlaywrightReport,
} from './failures.ts';
import { repository } from './repository.ts';
import { buildWeb } from './web-build.ts';

interface Count {
  readonly passed: number;
  /** What failed, each by its name and what went wrong. */
  readonly failures: readonly string[];
}

/** Put before a command that takes only what others leave of the processor. */
const behind = ['nice', '-n', '19'];

/** `./pannet test`: everything, ending with the line `N passed, N failed`. */
export async function test(): Promise<number> {
  install([postgresNeed, chromiumNeed, headlessNeed, ffmpegNeed]);
  const scratch = mkdtempSync(join(tmpdir(), 'pannet-test-'));
  const counts: Count[] = [];
  try {
    await buildWeb();
    // What plays is waited for: all else is done in the time that the journeys leave.
    const kinds = [
      playwright(join(scratch, 'playwright.json')),
      inTurn(
        () => check('types', 'node_modules/typescript/bin/tsc', ['-b']),
        () => check('lint', 'node_modules/eslint/bin/eslint.js', ['.', '--max-warnings', '0']),
        () =>
          check('format', 'node_modules/prettier/bin/prettier.cjs', [
            '--check',
            '--log-level',
            'warn',
            '.',
          ]),
        () => jest(join(scratch, 'jest.json')),
      ),
    ];
    counts.push(...(await Promise.all(kinds)).flat());
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
  const failures = counts.flatMap((count) => count.failures);
  const passed = counts.reduce((sum, count) => sum + count.passed, 0);
  // Here once more: of a long text often only the end is kept.
  for (const failure of failures) console.log(`Failed: ${failure}\n`);
  console.log(`${passed} passed, ${failures.length} failed`);
  return failures.length === 0 ? 0 : 1;
}

async function inTurn(...all: readonly (() => Promise<Count>)[]): Promise<Count[]> {
  const counts: Count[] = [];
  for (const one of all) counts.push(await one());
  return counts;
}

/** A tool that either passes or fails as a whole. */
async function check(name: string, script: string, words: readonly string[]): Promise<Count> {
  const passed = (await run(name, [...behind, 'node', script, ...words])) === 0;
  return passed ? { passed: 1, failures: [] } : { passed: 0, failures: [name] };
}

async function jest(report: string): Promise<Count> {
  const code = await run(
    'unit and server tests',
    [...behind, 'node', 'node_modules/jest/bin/jest.js', '--json', `--outputFile=${report}`],
    {
      NODE_OPTIONS: '--experimental-vm-modules --no-warnings',
    },
  );
  return counted('unit and server tests', code, report, (told: JestReport) => ({
    passed: told.numPassedTests,
    failures: failuresOfJest(told),
  }));
}

async function playwright(report: string): Promise<Count> {
  const code = await run(
    'browser journeys',
    [
      'node',
      'node_modules/@playwright/test/cli.js',
      ...['test', '-c', 'e2e', '--reporter=list,json,./e2e/what-it-showed.ts'],
    ],
    {
      PLAYWRIGHT_JSON_OUTPUT_FILE: report,
    },
  );
  return counted('browser journeys', code, report, (told: PlaywrightReport) => ({
    passed: told.stats.expected + told.stats.flaky,
    failures: failuresOfPlaywright(told),
  }));
}

/** What a tool's report counts; a tool that ended badly failed, whatever it reports. */
function counted<Report>(
  name: string,
  code: number,
  report: string,
  count: (report: Report) => Count,
): Count {
  const { passed, failures } = existsSync(report)
    ? count(JSON.parse(readFileSync(report, 'utf8')) as Report)
    : { passed: 0, failures: [] };
  return {
    passed,
    failures: failures.length > 0 || code === 0 ? failures : [`${name} ended with ${code}`],
  };
}

function run(
  name: string,
  [program, ...words]: readonly string[],
  environment: Record<string, string> = {},
): Promise<number> {
  const begun = Date.now();
  console.log(`— ${name}`);
  return new Promise((resolve) => {
    const child = spawn(program, words, {
      cwd: repository,
      env: { ...process.env, ...environment },
      stdio: ['ignore', 'inherit', 'inherit'],
    });
    child.once('error', () => resolve(1));
    child.once('exit', (code) => {
      console.log(
        `— ${name}: ${code === 0 ? 'passed' : 'FAILED'} in ${((Date.now() - begun) / 1000).toFixed(0)} s`,
      );
      resolve(code ?? 1);
    });
  });
}
