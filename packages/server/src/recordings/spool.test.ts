import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, readdirSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { afterEach, beforeEach, expect, test } from '@jest/globals';
import { Configuration } from '../configuration/configuration.ts';
import { Disk } from './disk.ts';
import { Spool } from './spool.ts';

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'pannet-spool-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

function openSpool(): Spool {
  const configuration = Object.assign(new Configuration(), { spoolFolder: folder });
  return new Spool(configuration, new Disk(configuration));
}

test('a server that starts takes away what killed ones left, and nothing of those that run', async () => {
  const killed = spawn('true');
  await once(killed, 'exit');
  const names = {
    killed: `${killed.pid}-a.upload`,
    unnamed: 'b.upload',
    running: `${process.ppid}-c.upload`,
    before: `${process.pid}-d.upload`,
    other: 'notes.txt',
  };
  for (const name of Object.values(names)) writeFileSync(join(folder, name), '');
  // Of an earlier process of the same number.
  utimesSync(join(folder, names.before), 1, 1);
  openSpool();
  expect(readdirSync(folder).sort()).toEqual([names.running, names.other].sort());
});

test('what one server takes in stays there while another starts, and is gone when it is done', async () => {
  const body = Buffer.from('the whole of it');
  const read = await openSpool().receive(Readable.from([body]), body.length, async (file) => {
    openSpool();
    return buffer(file.stream());
  });
  expect(read).toEqual(body);
  expect(readdirSync(folder)).toEqual([]);
});
