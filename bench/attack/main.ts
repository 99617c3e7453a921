import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { findChromium } from '@pannet/launcher/debian';
import { chromium, type Page } from 'playwright-core';
import { clients, fullDisk, importing, slowAndAborted } from './crowd.ts';
import { fuzz } from './fuzz.ts';
import { killing } from './killing.ts';
import { restoring } from './restoring.ts';
import { said, Target } from './target.ts';

/** Attacks on a Pannet of its own, on loopback, bounded in count and time; docs/reliability.md tells what they found. */
const quick = process.argv.includes('quick');

async function openBrowser(): Promise<Page | null> {
  try {
    const browser = await chromium.launch({
      executablePath: findChromium(),
      args: ['--no-sandbox', '--disable-gpu', '--autoplay-policy=no-user-gesture-required'],
    });
    return await (await browser.newContext()).newPage();
  } catch {
    said('browser', 'there is none on this machine; what needs one is left out');
    return null;
  }
}

/** A file system of 600 MB in memory, or null where none can be made. */
function smallDisk(): string | null {
  const folder = mkdtempSync(join(tmpdir(), 'pannet-small-'));
  const made = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=600m,mode=755', 'tmpfs', folder]);
  if (made.status === 0) return folder;
  rmSync(folder, { recursive: true, force: true });
  return null;
}

const page = await openBrowser();
const faults: string[] = [];
if (!page) faults.push('there is no browser, and what needs one was not tried');
const target = new Target();
await target.start(true);
try {
  await killing(target, quick ? 6 : 40, page);
  await restoring(target, quick ? 4 : 50);
  await importing(target, 20, quick ? 10 : 100, page);
  await clients(target, 100, quick ? 5 : 20);
  await slowAndAborted(target, quick ? 40 : 200);
  await fuzz(target, quick ? 3000 : 50_000);
} finally {
  await page?.context().browser()?.close();
  await target.stop();
  faults.push(...target.faults);
}
const disk = smallDisk();
if (disk) {
  const small = new Target(disk);
  try {
    await small.start(false);
    await fullDisk(small);
  } finally {
    await small.stop();
    faults.push(...small.faults);
    spawnSync('umount', [disk]);
    rmSync(disk, { recursive: true, force: true });
  }
} else {
  said('a full disk', 'no file system can be made here; left out');
  faults.push('a full disk was not tried');
}
said('faults', faults.length === 0 ? 'none' : faults.join('; '));
process.exitCode = faults.length === 0 ? 0 : 1;
