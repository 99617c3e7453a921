import { readFileSync } from 'node:fs';
import type { Reporter, TestCase, TestResult } from '@playwright/test/reporter';

/** So much of it is told. */
const mostLines = 400;

/** Tells what a page showed when its journey failed: on another machine nobody can look. */
export default class WhatItShowed implements Reporter {
  onTestEnd(test: TestCase, { status, attachments }: TestResult): void {
    if (status === 'passed' || status === 'skipped') return;
    for (const { name, path, body } of attachments) {
      if (name !== 'error-context') continue;
      const told = path === undefined ? body?.toString() : readFileSync(path, 'utf8');
      const shown = /```yaml\n(.*?)```/s.exec(told ?? '')?.[1] ?? 'nothing that could be read\n';
      // Pictures and bare addresses tell nothing.
      const lines = shown.split('\n').filter((line) => !/^ *- (img|\/url: .*)$/.test(line));
      console.log([`What “${test.title}” showed:`, ...lines.slice(0, mostLines)].join('\n'));
    }
  }

  printsToStdio(): boolean {
    return true;
  }
}
