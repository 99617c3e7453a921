import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, readdirSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { Configuration } from '../configuration/configuration.ts';
import { Disk, roomFor } from './disk.ts';
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

const mb = 1_048_576;

class SmallDisk extends Disk {
  constructor(
    configuration: Configuration,
    readonly free: number,
  ) {
    super(configuration);
  }
  override async freeBytes(): Promise<number> {
    return this.free;
  }
}

describe('room for an upload', () => {
  const configuration = Object.assign(new Configuration(), { reserveMb: 256 });

  test.each([
    // In the spool, in the database and in its log, which begins again at 128 MB.
    [100, 0, 300],
    [100, 60, 240],
    [1000, 0, 2128],
    // Nothing was announced: as much as has come, in the database and its log.
    [0, 50, 100],
  ])('of %i MB of which %i have come is %i MB', (announced, got, expected) => {
    expect(roomFor(announced * mb, got * mb)).toBe(expected * mb);
  });

  test('is held for it: what one was promised is not there for another, until it is released', async () => {
    const disk = new SmallDisk(configuration, (256 + 500) * mb);
    const [first, second] = [disk.hold(100 * mb), disk.hold(100 * mb)];
    await first.demand(0);
    await expect(second.demand(0)).rejects.toThrow(/disk of the server is full/);
    second.release();
    await first.demand(50 * mb);
    first.release();
    await disk.hold(100 * mb).demand(0);
  });

  test('what is refused leaves nothing in the spool', async () => {
    const own = Object.assign(new Configuration(), { spoolFolder: folder });
    const spool = new Spool(own, new SmallDisk(own, (256 + 20) * mb));
    const body = Readable.from([Buffer.alloc(10 * mb)]);
    await expect(spool.receive(body, 10 * mb, async () => {})).rejects.toThrow(/is full/);
    expect(readdirSync(folder)).toEqual([]);
  });
});
