import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { bytesInMemory } from '../formats/byte-source.ts';
import { readWavLayout } from '../formats/wav-read.ts';
import { wavFile } from '../formats/wav-write.ts';
import {
  blockFrames,
  blockRange,
  BlockStore,
  ensureBlocks,
  framesReader,
  type PcmSource,
} from './blocks.ts';
import { readWavBlock, readWavChannels } from './wav-blocks.ts';

const frames = 2 * blockFrames + 1234;
const signal = Float32Array.from({ length: frames }, (_, n) => n + 1);
const source: PcmSource = { key: 'a', frames };
const load = (_: PcmSource, index: number) =>
  Promise.resolve(signal.subarray(index * blockFrames, (index + 1) * blockFrames));

describe('a store of blocks', () => {
  test('reads any stretch as one, with silence outside the source', async () => {
    const store = new BlockStore();
    await ensureBlocks(store, load, [source], 0, frames);
    fc.assert(
      fc.property(
        fc.integer({ min: -500, max: frames + 500 }),
        fc.integer({ min: 1, max: 40_000 }),
        (start, count) => {
          const target = new Float32Array(count).fill(-9);
          store.read(source, start, count, target);
          for (const n of [0, count >> 1, count - 1]) {
            const frame = start + n;
            expect(target[n]).toBe(frame >= 0 && frame < frames ? frame + 1 : 0);
          }
        },
      ),
    );
    expect(store.missingFrames).toBe(0);
  });

  test('counts what is not there, and is silent there', async () => {
    const store = new BlockStore();
    store.put('a', 1, await load(source, 1));
    const target = new Float32Array(200).fill(1);
    store.read(source, blockFrames - 100, 200, target);
    expect(store.missingFrames).toBe(100);
    expect(target[99]).toBe(0);
    expect(target[100]).toBe(blockFrames + 1);
  });

  test('forgets what it is told to, and knows its size', async () => {
    const store = new BlockStore();
    await ensureBlocks(store, load, [source], 0, frames);
    expect(store.size).toBe(frames * 4);
    store.retain((key, index) => key === 'a' && index === 2);
    expect(store.size).toBe(1234 * 4);
    expect([0, 1, 2].map((index) => store.has('a', index))).toEqual([false, false, true]);
  });

  test('asks only for what is missing', async () => {
    const store = new BlockStore();
    const asked: number[] = [];
    const counting = (wanted: PcmSource, index: number) => {
      asked.push(index);
      return load(wanted, index);
    };
    await ensureBlocks(store, counting, [source], blockFrames - 1, blockFrames + 1);
    await ensureBlocks(store, counting, [source], -5000, frames + 5000);
    expect(asked).toEqual([0, 1, 2]);
  });

  test('the range of blocks stays inside the source', () => {
    expect(blockRange(source, -10, 1)).toEqual([0, 0]);
    expect(blockRange(source, blockFrames, blockFrames + 1)).toEqual([1, 1]);
    expect(blockRange(source, 0, 10 * blockFrames)).toEqual([0, 2]);
    // Wholly outside: nothing between first and last.
    const [first, last] = blockRange(source, 9 * blockFrames, 10 * blockFrames);
    expect(first).toBeGreaterThan(last);
  });
});

test('a file read block by block is the file', async () => {
  const left = Float32Array.from(
    { length: blockFrames + 99 },
    (_, n) => ((n * 7919) % 1000) / 1000 - 0.5,
  );
  const right = left.map((value) => -value);
  const bytes = bytesInMemory(wavFile([left, right], 44_100, '32f'));
  const layout = await readWavLayout(bytes, 'x.wav');
  if (!layout.ok) throw new Error(layout.error.sentence);
  expect(await readWavBlock(bytes, layout.value, 1, 1)).toEqual(right.subarray(blockFrames));
  expect(await readWavChannels(bytes, layout.value)).toEqual([left, right]);
});

test('who reads frames asks again for what could not be had, and only for that', async () => {
  const asked: number[] = [];
  let failing = true;
  const read = framesReader(source, (_, index) => {
    asked.push(index);
    return failing && index === 1 ? Promise.reject(new Error('out of reach')) : load(_, index);
  });
  const both = [blockFrames - 2, 4] as const;
  await expect(read(...both)).rejects.toThrow('out of reach');
  failing = false;
  expect(await read(...both)).toEqual(signal.subarray(blockFrames - 2, blockFrames + 2));
  expect(asked).toEqual([0, 1, 1]);
});
