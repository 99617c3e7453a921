import { execFileSync, spawn } from 'node:child_process';
import { once } from 'node:events';
import {
  chmodSync,
  existsSync,
  linkSync,
  lstatSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, beforeEach, describe, expect, jest, test } from '@jest/globals';
import { wavFile } from '@pannet/core/formats/wav-write';
import { noise } from '../../core/src/measurement/signals.fixture.ts';
import { runCommandLine } from './command-line.ts';

const rate = 48_000;
let folder: string;
let complained: string[];
const take = wavFile([noise(2, rate, 80)], rate, '24');
const image = JSON.stringify({
  format: 'pannet-image',
  formatVersion: 1,
  voices: [{}, { delay: { value: 12 }, placement: { kind: 'pan', panPercent: 100 } }],
});
const tuned = JSON.stringify({
  format: 'pannet-image',
  formatVersion: 1,
  voices: [{}, { tuner: { kind: 'chords', cents: 7 } }],
});

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'pannet-cli-files-'));
  write('take.wav', take);
  write('image.json', image);
  write('tuned.json', tuned);
  symlinkSync(join(folder, 'take.wav'), join(folder, 'link.wav'));
  linkSync(join(folder, 'take.wav'), join(folder, 'hard.wav'));
  mkdirSync(join(folder, 'folder'));
  symlinkSync(folder, join(folder, 'folder', 'back'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));
beforeEach(() => {
  complained = [];
  jest.spyOn(console, 'error').mockImplementation((line: string) => void complained.push(line));
  jest.spyOn(console, 'log').mockImplementation(() => {});
});

function write(name: string, content: string | Uint8Array): void {
  writeFileSync(join(folder, name), content);
}
const pannet = (line: string) => runCommandLine(line.split(' '), folder);
const left = (where = folder) => readdirSync(where).filter((name) => name.includes('.partial'));

describe('nothing is written over what is read, or over another output', () => {
  test.each([
    ['the take', '--take take.wav --out take.wav', /--out and --take are the same file/],
    ['a link to it', '--take take.wav --out link.wav', /--out and --take are the same file/],
    ['its other name', '--take take.wav --out hard.wav', /same file/],
    ['it by another way', '--take take.wav --out folder/back/take.wav', /same file/],
    ['the image', '--take take.wav --out image.json', /--out and --image are the same file/],
    ['the audio', '--take take.wav --out o.wav --report o.wav', /--report and --out are the same/],
    ['the plain', '--take take.wav --out o.wav --plain ./o.wav', /--plain and --out are the same/],
    ['the take, by its report', '--take take.wav --out o.wav --report take.wav', /same file/],
  ])('%s', async (_, words, sentence) => {
    expect(await pannet(`render --image image.json ${words}`)).toBe(2);
    expect(complained).toEqual([expect.stringMatching(sentence)]);
    expect(readFileSync(join(folder, 'take.wav')).equals(take)).toBe(true);
    expect(readFileSync(join(folder, 'image.json'), 'utf8')).toBe(image);
    expect(existsSync(join(folder, 'o.wav'))).toBe(false);
    expect(left()).toEqual([]);
  });
});

describe('what cannot be read or written is one sentence', () => {
  test.each([
    ['a folder as output', '--take take.wav --out folder', /“.*folder” cannot be written: it is a/],
    ['a folder as take', '--take folder --out o.wav', /“.*folder” cannot be opened: it is a fold/],
    ['a file as folder', '--take take.wav --out take.wav/o.wav', /a part of its path is not a/],
    ['a long name', `--take take.wav --out ${'o'.repeat(300)}.wav`, /its name is too long/],
    ['no folder for the report', '--take take.wav --out o.wav --report no/r.json', /no such file/],
  ])('%s', async (_, words, sentence) => {
    expect(await pannet(`render --image image.json ${words}`)).toBe(2);
    expect(complained).toHaveLength(1);
    expect(complained[0]).toMatch(sentence);
    expect(existsSync(join(folder, 'o.wav'))).toBe(false);
    expect(left()).toEqual([]);
  });

  test('a full disk; none of the files is left behind', async () => {
    const small = join(folder, 'small');
    mkdirSync(small);
    // Whoever may not mount anything is given a folder that may not be written to instead.
    const mounted = mount(small);
    if (!mounted) chmodSync(small, 0o500);
    try {
      const words = '--take take.wav --out small/o.wav --plain small/p.wav --report small/r.json';
      expect(await pannet(`render --image image.json ${words}`)).toBe(2);
      expect(complained.at(-1)).toMatch(mounted ? /the disk is full/ : /not allowed/);
      expect(readdirSync(small)).toEqual([]);
    } finally {
      if (mounted) execFileSync('umount', [small]);
      else chmodSync(small, 0o700);
    }
  });

  test('a command that is stopped leaves nothing behind', async () => {
    write('long.wav', wavFile([noise(60, rate, 81)], rate, '24'));
    const launcher = fileURLToPath(new URL('../../launcher/dist/main.js', import.meta.url));
    const words = ['render', '--image', 'tuned.json', '--take', 'long.wav', '--out', 'o.wav'];
    const command = spawn(process.execPath, [launcher, ...words], {
      env: { ...process.env, NODE_OPTIONS: '', PANNET_CALLED_FROM: folder },
      stdio: 'ignore',
    });
    const ended = once(command, 'exit');
    while (command.exitCode === null && left().length === 0)
      await new Promise((resolve) => setTimeout(resolve, 20));
    expect(left()).toHaveLength(1);
    command.kill('SIGTERM');
    expect((await ended)[0]).toBe(143);
    expect(left()).toEqual([]);
    expect(existsSync(join(folder, 'o.wav'))).toBe(false);
  });
});

function mount(folderName: string): boolean {
  try {
    execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=300k', 'tmpfs', folderName], {
      stdio: 'ignore',
    });
    return true;
  } catch {
    return false;
  }
}

describe('an output that is no regular file', () => {
  const out = (name: string) => join(folder, name);
  const render = (to: string) => pannet(`render --image image.json --take take.wav --out ${to}`);

  test.each(['/dev/null', '/dev/full', 'to-null'])('%s is a device, and stays one', async (to) => {
    if (!existsSync(out('to-null'))) symlinkSync('/dev/null', out('to-null'));
    expect(await render(to)).not.toBe(0);
    expect(complained.join()).toMatch(/cannot be written: it is a device/);
    for (const device of ['/dev/null', '/dev/full'])
      expect(statSync(device).isCharacterDevice()).toBe(true);
    expect(lstatSync(out('to-null')).isSymbolicLink()).toBe(true);
  });

  test('a pipe is written in place, the same bytes as a file', async () => {
    execFileSync('mkfifo', [out('pipe')]);
    const reader = spawn('cat', [out('pipe')]);
    const pieces: Buffer[] = [];
    reader.stdout.on('data', (piece: Buffer) => pieces.push(piece));
    const closed = once(reader, 'close');
    expect(await render('pipe')).toBe(0);
    await closed;
    expect(lstatSync(out('pipe')).isFIFO()).toBe(true);
    expect(await render('plain.wav')).toBe(0);
    expect(Buffer.concat(pieces).equals(readFileSync(out('plain.wav')))).toBe(true);
  });

  test('a link stays a link, and what it leads to is written, whether it is there or not', async () => {
    symlinkSync('led-to.wav', out('leads.wav'));
    for (let n = 0; n < 2; n++) {
      expect(await render('leads.wav')).toBe(0);
      expect(lstatSync(out('leads.wav')).isSymbolicLink()).toBe(true);
      expect(lstatSync(out('led-to.wav')).isFile()).toBe(true);
    }
    expect(left()).toEqual([]);
  });
});

describe('what is unusual is said', () => {
  test('samples that are no numbers, a stream without its length, a pad byte that is missing', async () => {
    const samples = noise(1, rate, 82).slice();
    samples.set([Number.NaN, Infinity, -Infinity], 100);
    const file = wavFile([samples], rate, '32f');
    const data = file.findIndex(
      (_, n) => Buffer.from(file.subarray(n, n + 4)).toString() === 'data',
    );
    const open = file.slice();
    open.fill(255, data + 4, data + 8);
    open.fill(255, 4, 8);
    write('odd.wav', open);
    expect(await pannet('render --image image.json --take odd.wav --out odd-out.wav')).toBe(0);
    expect(complained.join('\n')).toMatch(/“odd\.wav” was written as a stream/);
    expect(complained.join('\n')).toMatch(/3 samples of “.*odd\.wav” are no numbers/);
    complained = [];
    const odd = wavFile([samples.subarray(0, 4801)], rate, '24');
    write('unpadded.wav', odd.subarray(0, odd.length - 1));
    expect(await pannet('measure unpadded.wav')).toBe(0);
    expect(complained.join('\n')).toMatch(/no pad byte/);
  });

  test('findings only where a report is asked for; of peaks always', async () => {
    const loud = noise(2, rate, 80).map((value) => Math.max(-1, Math.min(1, 40 * value)));
    write('loud.wav', wavFile([loud], rate, '24'));
    const words = 'render --image image.json --take loud.wav --out loud-out.wav';
    expect(await pannet(words)).toBe(0);
    expect(complained).toEqual([
      expect.stringMatching(/samples of .* lie over full scale/),
      expect.stringMatching(/the true peak is/),
    ]);
    complained = [];
    expect(await pannet(`${words} --report loud.json`)).toBe(0);
    const { findings } = JSON.parse(readFileSync(join(folder, 'loud.json'), 'utf8')) as {
      findings: { code: string; sentence: string }[];
    };
    const told = findings.filter(({ code }) => code !== 'over-peak');
    expect(told.length).toBeGreaterThan(0);
    for (const { sentence } of told) expect(complained).toContain(`Warning: ${sentence}`);
  });
});
