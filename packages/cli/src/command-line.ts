import { constants } from 'node:os';
import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import type { Failure, Outcome } from '@pannet/core/outcome';
import { align, readAlignWords } from './align.ts';
import { mend, readMendWords } from './mend.ts';
import { document, fileRow, headRow, measure, reportLines } from './measure.ts';
import { readRenderWords, render } from './render.ts';
import { removeUnfinished } from './written-files.ts';

/** What is refused ends with this status, and no output file is left behind. */
const refused = 2;
/** With `--check`: a file of those that were measured breaks in the fold. */
const breaks = 1;
/** Nothing could be mended, and nothing was written. */
const nothingMended = 3;

/**
 * `render`, `align`, `mend` and `measure`, without server or database.
 * @param folder the one that paths are taken from
 * @returns the exit status
 */
export async function runCommandLine(words: readonly string[], folder: string): Promise<number> {
  const [command, ...rest] = words;
  try {
    if (command === 'render') return await runRender(rest, folder);
    if (command === 'align') return await runAlign(rest, folder);
    if (command === 'mend') return await writing(readMendWords(rest, folder), mend);
    return await runMeasure(rest, folder);
  } catch (error) {
    if (!(error as { code?: string }).code?.startsWith('ERR_PARSE_ARGS')) throw error;
    console.error((error as Error).message);
    return refused;
  }
}

function runRender(words: string[], folder: string): Promise<number> {
  return writing(readRenderWords(words, folder), render);
}

function runAlign(words: string[], folder: string): Promise<number> {
  return writing(readAlignWords(words, folder), align);
}

/** Runs what writes files, none of which is left behind when it is stopped. */
async function writing<Request>(
  request: Outcome<Request>,
  run: (request: Request, say: (line: string) => void) => Promise<Outcome<void>>,
): Promise<number> {
  if (!request.ok) return refuse(request.error);
  const stop = (signal: NodeJS.Signals) => {
    removeUnfinished();
    // As a shell tells of a command that a signal ended.
    process.exit(128 + constants.signals[signal]);
  };
  const signals = ['SIGINT', 'SIGTERM', 'SIGHUP'] as const;
  for (const signal of signals) process.on(signal, stop);
  try {
    const done = await run(request.value, (line) => console.error(line));
    return done.ok ? 0 : refuse(done.error);
  } finally {
    for (const signal of signals) process.off(signal, stop);
  }
}

async function runMeasure(words: string[], folder: string): Promise<number> {
  const { values, positionals: files } = parseArgs({
    args: words,
    options: { json: { type: 'boolean' }, check: { type: 'boolean' } },
    allowPositionals: true,
  });
  if (files.length === 0)
    return refuse({
      code: 'no-file',
      sentence: 'Say which files to measure: ./pannet measure FILE… [--json] [--check].',
    });
  const { json = false, check = false } = values;
  const say = (line: string) => console.error(line);
  const one = files.length === 1;
  const entries: object[] = [];
  const broken: string[] = [];
  let isRefused = false;
  if (!one && !json) console.log(headRow(files));
  for (const file of files) {
    const report = await measure(resolve(folder, file), say);
    if (!report.ok) {
      say(report.error.sentence);
      isRefused = true;
      entries.push({ file, sentence: report.error.sentence });
      continue;
    }
    const { value } = report;
    if (value.fold.verdict === 'breaks') broken.push(file);
    if (json) entries.push(one ? document(value) : { file, ...document(value) });
    else console.log(one ? reportLines(value).join('\n') : fileRow(file, files, value));
  }
  if (json && !(one && isRefused)) console.log(JSON.stringify(one ? entries[0] : entries, null, 2));
  if (isRefused) return refused;
  if (!check || broken.length === 0) return 0;
  say(`${broken.length} of ${files.length} break: ${broken.join(', ')}.`);
  return breaks;
}

function refuse(error: Failure): number {
  console.error(error.sentence);
  return error.code === 'nothing-mended' ? nothingMended : refused;
}
