import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromiumNeed, ffmpegNeed, install, postgresNeed } from './debian.ts';
import { repository } from './repository.ts';
import { buildWeb } from './web-build.ts';

interface Count {
  readonly passed: number;
  readonly failed: number;
}

/** `./pannet test`: everything, ending with the line `N passed, N failed`. */
export async function test(): Promise<number> {
  install([postgresNeed, chromiumNeed, ffmpegNeed]);
  const scratch = mkdtempSync(join(tmpdir(), 'pannet-test-'));
  const counts: Count[] = [];
  try {
    // What takes one core each goes side by side.
    const checks = [
      check('lint', 'node_modules/eslint/bin/eslint.js', ['.', '--max-warnings', '0']),
      inTurn(
        () => check('types', 'node_modules/typescript/bin/tsc', ['-b']),
        () =>
          check('format', 'node_modules/prettier/bin/prettier.cjs', [
            '--check',
            '--log-level',
            'warn',
            '.',
          ]),
      ),
    ];
    counts.push(...(await Promise.all(checks)).flat());
    await buildWeb();
    counts.push(await jest(join(scratch, 'jest.json')));
    counts.push(await playwright(join(scratch, 'playwright.json')));
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
  const total = (pick: (count: Count) => number) =>
    counts.reduce((sum, count) => sum + pick(count), 0);
  const failed = total((count) => count.failed);
  console.log(`${total((count) => count.passed)} passed, ${failed} failed`);
  return failed === 0 ? 0 : 1;
}

async function inTurn(...all: readonly (() => Promise<Count>)[]): Promise<Count[]> {
  const counts: Count[] = [];
  for (const one of all) counts.push(await one());
  return counts;
}

/** A tool that either passes or fails as a whole. */
async function check(name: string, script: string, words: readonly string[]): Promise<Count> {
  const passed = (await run(name, script, words)) === 0;
  return { passed: passed ? 1 : 0, failed: passed ? 0 : 1 };
}

async function jest(report: string): Promise<Count> {
  const code = await run(
    'unit and server tests',
    'node_modules/jest/bin/jest.js',
    ['--json', `--outputFile=${report}`],
    {
      NODE_OPTIONS: '--experimental-vm-modules --no-warnings',
    },
  );
  if (!existsSync(report)) return { passed: 0, failed: 1 };
  const { numPassedTests, numFailedTests, numFailedTestSuites } = JSON.parse(
    readFileSync(report, 'utf8'),
  ) as Record<string, number>;
  // A suite that does not even load has no failed test in it.
  return {
    passed: numPassedTests,
    failed: Math.max(numFailedTests, numFailedTestSuites, code === 0 ? 0 : 1),
  };
}

async function playwright(report: string): Promise<Count> {
  const code = await run(
    'browser journeys',
    'node_modules/@playwright/test/cli.js',
    ['test', '-c', 'e2e', '--reporter=list,json,./e2e/what-it-showed.ts'],
    {
      PLAYWRIGHT_JSON_OUTPUT_FILE: report,
    },
  );
  if (!existsSync(report)) return { passed: 0, failed: 1 };
  const { stats } = JSON.parse(readFileSync(report, 'utf8')) as {
    stats: { expected: number; unexpected: number; flaky: number };
  };
  return {
    passed: stats.expected + stats.flaky,
    failed: Math.max(stats.unexpected, code === 0 ? 0 : 1),
  };
}

function run(
  name: string,
  script: string,
  words: readonly string[],
  environment: Record<string, string> = {},
): Promise<number> {
  const begun = Date.now();
  console.log(`— ${name}`);
  return new Promise((resolve) => {
    const child = spawn('node', [script, ...words], {
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
