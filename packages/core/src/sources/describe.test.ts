import { createHash } from 'node:crypto';
import { expect, test } from '@jest/globals';
import { bytesInMemory } from '../formats/byte-source.ts';
import { wavFile } from '../formats/wav-write.ts';
import { noise } from '../measurement/signals.fixture.ts';
import { describeRecording, hashOfFile } from './describe.ts';
import { factsOf } from './facts.ts';

test('SHA-256 as Node computes it, of nothing, of a byte, and at the edges of its pieces', async () => {
  for (const length of [0, 1, 1_048_575, 1_048_576, 2_500_001]) {
    const bytes = Uint8Array.from({ length }, (_, n) => (n * 31) & 255);
    expect(await hashOfFile(bytesInMemory(bytes))).toBe(
      createHash('sha256').update(bytes).digest('hex'),
    );
  }
  // FIPS 180-4, the example of one block.
  expect(await hashOfFile(bytesInMemory(new TextEncoder().encode('abc')))).toBe(
    'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad',
  );
});

test('a file is described by its layout, its hash and what sounds in it, told as it is read', async () => {
  const sound = noise(3, 48_000, 5, 0.2);
  const bytes = wavFile([sound], 48_000, '32f');
  const told: number[] = [];
  const described = await describeRecording(bytesInMemory(bytes), 'line.wav', (share) =>
    told.push(share),
  );
  if (!described.ok) throw new Error(described.error.sentence);
  expect(described.value).toMatchObject({ fileName: 'line.wav', frames: 144_000, channels: 1 });
  expect(described.value.hash).toBe(createHash('sha256').update(bytes).digest('hex'));
  expect(described.value.facts).toMatchObject(factsOf([sound], 48_000));
  expect(told).toEqual(told.toSorted((a, b) => a - b));
  expect(told.at(-1)).toBe(1);
});

test('what is no WAV file is refused before it is read through', async () => {
  const told: number[] = [];
  const described = await describeRecording(
    bytesInMemory(new Uint8Array(5000)),
    'line.wav',
    (share) => told.push(share),
  );
  expect(described.ok).toBe(false);
  expect(told).toEqual([]);
});
