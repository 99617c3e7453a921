import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { openSync, closeSync } from 'node:fs';
import type { Readable } from 'node:stream';
import { BackupError } from './backup-error.ts';

/** The rows that a dump has for a table. */
export interface DumpedTable {
  readonly name: string;
  readonly columns: readonly string[];
  /** In COPY's text format, each with its line end. To be read to the end before the next table. */
  readonly rows: AsyncIterable<Buffer>;
}

/** Names that SQL has a meaning for stand in quotes. */
const name = '"?[a-z_]{1,60}"?';
const copyLine = new RegExp(
  `^COPY public\\.(${name}) \\((${name}(?:, ${name})*)\\) FROM stdin;\\n$`,
);
const endOfRows = Buffer.from('\\.\n');
const maxHeadBytes = 10_000;

/** PostgreSQL dumps of the custom format begin so; backups of Pannet up to 0.1 are such dumps. */
export const dumpSignature = 'PGDMP';

/**
 * Reads the rows out of a custom-format dump without letting any of its SQL run: pg_restore only prints a script, of which
 * nothing but the rows after well-formed COPY lines is used. It runs without our environment, and as nobody where we are root.
 * @param only a single table
 * @throws BackupError where pg_restore cannot read the file
 */
export async function* tablesOfDump(file: string, only?: string): AsyncGenerator<DumpedTable> {
  const input = openSync(file, 'r');
  const child = spawn(
    process.env.PANNET_PG_RESTORE ?? 'pg_restore',
    ['--data-only', '--no-owner', ...(only ? [`--table=${only}`] : []), '--file=-'],
    {
      stdio: [input, 'pipe', 'pipe'],
      cwd: '/',
      env: { PATH: process.env.PATH, LC_ALL: 'C.UTF-8' },
      ...(process.getuid?.() === 0 ? { uid: 65_534, gid: 65_534 } : {}),
    },
  );
  closeSync(input);
  let complaint = '';
  child.stderr?.on(
    'data',
    (data: Buffer) => (complaint = (complaint + data.toString()).slice(-500)),
  );
  const ended = once(child, 'close').then(
    ([code]) => code as number,
    () => 1,
  );
  const lines = linesOf(child.stdout as Readable);
  try {
    for (let line = await lines.next(); !line.done; line = await lines.next()) {
      const head = copyLine.exec(line.value.toString('utf8', 0, maxHeadBytes));
      if (!head) continue;
      const [table, columns] = [head[1], head[2]].map((text) => text.replaceAll('"', ''));
      yield { name: table, columns: columns.split(', '), rows: rowsUntilEnd(lines) };
    }
    if ((await ended) !== 0)
      throw new BackupError(`It is damaged: ${complaint.trim().split('\n').at(-1)}`);
  } finally {
    child.kill('SIGKILL');
  }
}

async function* rowsUntilEnd(lines: AsyncIterator<Buffer>): AsyncGenerator<Buffer> {
  for (let line = await lines.next(); !line.done; line = await lines.next()) {
    if (line.value.length === endOfRows.length && line.value.equals(endOfRows)) return;
    yield line.value;
  }
}

/** Lines with their ends. Only \n ends one: Node's own reader of lines also splits at characters that song titles may have. */
async function* linesOf(stream: Readable): AsyncGenerator<Buffer> {
  let held: Buffer[] = [];
  for await (const piece of stream as AsyncIterable<Buffer>) {
    let from = 0;
    for (let at = piece.indexOf(10); at >= 0; at = piece.indexOf(10, from)) {
      held.push(piece.subarray(from, at + 1));
      yield held.length === 1 ? held[0] : Buffer.concat(held);
      held = [];
      from = at + 1;
    }
    if (from < piece.length) held.push(piece.subarray(from));
  }
  if (held.length > 0) yield Buffer.concat(held);
}
