import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, expect, jest, test } from '@jest/globals';
import { bytesInMemory } from '@pannet/core/formats/byte-source';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { wavFile } from '@pannet/core/formats/wav-write';
import { readWavChannels } from '@pannet/core/sources/wav-blocks';
import { noise } from '../../core/src/measurement/signals.fixture.ts';
import { runCommandLine } from './command-line.ts';

const rate = 48_000;
let folder: string;
let said: string[] = [];

const pannet = (words: string) => runCommandLine(words.split(' '), folder);
const image = (voices: readonly object[], preparation: object = {}) =>
  JSON.stringify({ format: 'pannet-image', formatVersion: 1, preparation, voices });
const voice = (impulse: string, cabinet: object = {}, changes: object = {}) => ({
  placement: { kind: 'pan', panPercent: -100 },
  amp: { cabinet: { impulse, ...cabinet } },
  ...changes,
});
const take = noise(2, rate, 41, 0.3);
const response = Float32Array.from({ length: 3000 }, (_, n) =>
  n < 40 ? 0 : 0.2 * Math.exp(-(n - 40) / 300) * (n % 5 === 0 ? 1 : -0.3),
);

async function channels(name: string): Promise<readonly Float32Array[]> {
  const bytes = readFileSync(join(folder, name));
  const layout = await readWavLayout(bytesInMemory(bytes), name);
  if (!layout.ok) throw new Error(layout.error.sentence);
  return readWavChannels(bytesInMemory(bytes), layout.value);
}

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'pannet-impulses-'));
  mkdirSync(join(folder, 'responses'));
  const write = (name: string, content: string | Uint8Array) =>
    writeFileSync(join(folder, name), content);
  write('take.wav', wavFile([take], rate, '32f'));
  write('responses/box.wav', wavFile([response], rate, '32f'));
  write('responses/pair.wav', wavFile([response, response.map((x) => -x)], rate, '32f'));
  write('responses/hall.wav', wavFile([new Float32Array(1.5 * rate)], rate, '16'));
  write('box.json', image([voice('responses/box.wav')]));
  write('pair.json', image([voice('responses/pair.wav')]));
  write('hall.json', image([voice('responses/hall.wav')]));
  write('gone.json', image([voice('responses/gone.wav')]));
  write('wrong.json', image([voice('responses/box.wav', { distanceCm: 5 })]));
  write(
    'chains.json',
    image([
      voice('responses/box.wav'),
      voice(
        'responses/box.wav',
        {},
        {
          placement: { kind: 'pan', panPercent: 100 },
          delay: { value: 1, unit: 'ms' },
          polarity: 'inverted',
        },
      ),
    ]),
  );
  write(
    'driven.json',
    image([{ placement: { kind: 'pan', panPercent: -100 } }], {
      drive: { driveDb: 24, shape: 'hard' },
    }),
  );
});
afterAll(() => rmSync(folder, { recursive: true }));
beforeEach(() => {
  said = [];
  jest.spyOn(console, 'error').mockImplementation((line: unknown) => void said.push(String(line)));
});

/** A hand-written convolution. */
function direct(n: number): number {
  let sum = 0;
  for (let k = 0; k < response.length && k <= n; k++) sum += response[k] * take[n - k];
  return sum;
}

test.each(['box', 'pair'])(
  'an amp with only an impulse (%s) is that convolution at its own level',
  async (name) => {
    expect(await pannet(`render --image ${name}.json --take take.wav --out ${name}-out.wav`)).toBe(
      0,
    );
    const [left, right] = await channels(`${name}-out.wav`);
    for (const n of [39, 40, 41, 2999, 3000, 32_768, 65_536, 90_000])
      expect(Math.abs(left[n] - direct(n))).toBeLessThan(1e-6);
    expect(Math.max(...right)).toBe(0);
    expect(said.some((line) => line.includes('its first one is the impulse response'))).toBe(
      name === 'pair',
    );
  },
);

test('at another rate it is converted with the takes', async () => {
  expect(await pannet('render --image box.json --take take.wav --rate 44100 --out slow.wav')).toBe(
    0,
  );
  const [slow] = await channels('slow.wav');
  expect(slow).toHaveLength(2 * 44_100);
});

test('what is too long, missing, said wrongly, or about to be written over is refused, and nothing is written', async () => {
  for (const [name, words] of [
    ['hall', 'is 1 s long at most'],
    ['gone', 'there is no such file or folder'],
    ['wrong', '“voices[0].amp.cabinet.distanceCm” is not known here'],
  ]) {
    expect(await pannet(`render --image ${name}.json --take take.wav --out no.wav`)).not.toBe(0);
    expect(said.join(' ')).toContain(words);
  }
  expect(await pannet('render --image box.json --take take.wav --out responses/box.wav')).not.toBe(
    0,
  );
  expect(said.join(' ')).toContain('nothing is written over it');
  expect(() => readFileSync(join(folder, 'no.wav'))).toThrow();
});

test('a mended image calls its impulse response from where it is written', async () => {
  mkdirSync(join(folder, 'mended'));
  expect(
    await pannet(
      'mend --image chains.json --take take.wav --out mended/new.json --for chains-apart',
    ),
  ).toBe(0);
  const mended = JSON.parse(readFileSync(join(folder, 'mended/new.json'), 'utf8'));
  expect(mended.voices[1].amp.cabinet.impulse).toBe('../responses/box.wav');
  expect(await pannet('render --image mended/new.json --take take.wav --out new.wav')).toBe(0);
  // In time and the same way up again, both sides are one.
  const [left, right] = await channels('new.wav');
  for (const n of [5000, 40_000]) expect(right[n]).toBeCloseTo(left[n], 4);
});

test('a drive before the voices part bends what every voice gets', async () => {
  expect(await pannet('render --image driven.json --take take.wav --out driven.wav')).toBe(0);
  const [left] = await channels('driven.wav');
  const rms = (samples: Float32Array) =>
    Math.sqrt(samples.reduce((sum, value) => sum + value * value, 0) / samples.length);
  const crest = (samples: Float32Array) => Math.max(...samples) / rms(samples);
  expect(crest(left)).toBeLessThan(0.7 * crest(take));
});
