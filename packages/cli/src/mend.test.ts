import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, expect, jest, test } from '@jest/globals';
import { demoTape, score } from '@pannet/core/demo/score';
import { wavFile } from '@pannet/core/formats/wav-write';
import { plucked } from '@pannet/core/performing/instruments';
import { runCommandLine } from './command-line.ts';

const rate = 48_000;
let folder: string;
let said: string[] = [];

const pannet = (words: string) => runCommandLine(words.split(' '), folder);
const read = (name: string) => JSON.parse(readFileSync(join(folder, name), 'utf8'));
const image = (voices: readonly object[], stage: object = {}) =>
  JSON.stringify({ format: 'pannet-image', formatVersion: 1, voices, stage });
const side = (panPercent: number, changes: object = {}) => ({
  placement: { kind: 'pan', panPercent },
  ...changes,
});
const chain = (changes: object = {}) => ({
  amp: { driveDb: 3, cabinet: { kind: 'closed-one-cone' }, ...changes },
});

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'pannet-mend-'));
  const write = (name: string, content: string | Uint8Array) =>
    writeFileSync(join(folder, name), content);
  const line = plucked(score.plucked, 5, demoTape).subarray(0, 5 * rate);
  write('harp.wav', wavFile([Float32Array.from(line, (value) => 0.4 * value)], rate, '24'));
  write('same.json', image([side(-100), side(100)]));
  write('opposite.json', image([side(-100), side(100, { polarity: 'inverted' })]));
  write('fine.json', image([side(0)]));
  write(
    'chains.json',
    image([
      side(-100, chain()),
      side(100, {
        ...chain({ driveDb: 24, shape: 'hard' }),
        polarity: 'inverted',
        delay: { value: 3, unit: 'ms' },
      }),
    ]),
  );
});
afterAll(() => rmSync(folder, { recursive: true }));
beforeEach(() => {
  said = [];
  jest.spyOn(console, 'error').mockImplementation((line: unknown) => void said.push(String(line)));
});

test('what cancels is mended: the new image cancels no more, and the report says so', async () => {
  expect(
    await pannet(
      'mend --image opposite.json --take harp.wav --out new.json --for cancels --report r.json',
    ),
  ).toBe(0);
  const report = read('r.json');
  expect(report.findings).toEqual([
    expect.objectContaining({ code: 'cancels', gauge: 'correlation', kept: true }),
  ]);
  expect(report.findings[0].before).toBeLessThan(-0.9);
  expect(report.findings[0].after).toBeGreaterThan(-0.1);
  expect(
    await pannet('render --image new.json --take harp.wav --out new.wav --report n.json'),
  ).toBe(0);
  expect(read('n.json').correlation).toBeGreaterThan(-0.1);
});

test('chains are lined up and made even, both in one go', async () => {
  expect(
    await pannet(
      'mend --image chains.json --take harp.wav --out even.json --for chains-apart --for sides-uneven --report e.json',
    ),
  ).toBe(0);
  const [apart, uneven] = read('e.json').findings;
  expect(apart).toMatchObject({ code: 'chains-apart', kept: true });
  expect(Math.abs(apart.before)).toBeGreaterThan(2.5);
  expect(Math.abs(apart.after)).toBeLessThan(0.05);
  expect(uneven).toMatchObject({ code: 'sides-uneven', kept: true });
  expect(uneven.after).toBeLessThan(0.61);
  const [, right] = read('even.json').voices;
  expect(right.polarity).toBe('normal');
  expect(right.delay.value).toBeLessThan(0.3);
  expect(said.join()).toMatch(/chains-apart: offset in ms from [+−]?\d\.\d\d to [+−]?0\.0\d/);
});

test('where nothing is to be mended the status is 3, and no file is left', async () => {
  expect(await pannet('mend --image fine.json --take harp.wav --out no.json --for leads')).toBe(3);
  expect(said.join()).toContain('No mend was found for leads');
  expect(
    await pannet('mend --image fine.json --take harp.wav --out no.json --for chains-apart'),
  ).toBe(3);
  expect(said.join()).toContain('no two voices that stand apart');
  expect(existsSync(join(folder, 'no.json'))).toBe(false);
});

test.each([
  [
    'an unknown finding',
    'mend --image same.json --take harp.wav --out no.json --for nonsense',
    /is no finding; known are silent,/,
  ],
  ['no image', 'mend --take harp.wav --out no.json', /--image IMAGE\.json/],
  ['no take', 'mend --image same.json --out no.json', /--take A\.wav/],
  ['nowhere to', 'mend --image same.json --take harp.wav', /--out NEW\.json/],
  [
    'an image that is not there',
    'mend --image none.json --take harp.wav --out no.json',
    /none\.json/,
  ],
])('%s is refused with a sentence', async (_, words, sentence) => {
  expect(await pannet(words)).toBe(2);
  expect(said.join()).toMatch(sentence);
  expect(existsSync(join(folder, 'no.json'))).toBe(false);
});
