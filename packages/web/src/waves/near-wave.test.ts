import { expect, test } from '@jest/globals';
import type { Recording } from '@pannet/core/song/song';
import { NearWave } from './near-wave.ts';
import type { Stretch, Waves } from './waves.ts';

const recording = { frames: 100_000 } as Recording;

/** Answers what was asked for, in whatever order. */
function source() {
  const asked: { from: number; to: number; come: () => void; fail: () => void }[] = [];
  const waves = {
    stretchOf: (_: unknown, from: number, to: number) =>
      new Promise<Stretch>((resolve, reject) => {
        const begin = Math.max(0, Math.floor(from));
        const samples = new Float32Array(Math.min(recording.frames, Math.ceil(to)) - begin);
        asked.push({
          from,
          to,
          come: () => resolve({ from: begin, samples }),
          fail: () => reject(new Error('gone')),
        });
      }),
  } as unknown as Waves;
  return { asked, near: new NearWave(waves, { recording, channel: 0 }) };
}

const width = 1000;
const view = (from: number, seen: number) => ({ from, to: from + seen });
const settle = () => new Promise((resolve) => setTimeout(resolve));

test('samples are asked for from near only, once for half a view, and tell when they have come', async () => {
  const { asked, near } = source();
  let told = 0;
  const within = (from: number, seen: number) =>
    near.within(view(from, seen), width, 0, () => told++);
  expect(within(0, 256 * width)).toBeNull();
  expect(asked).toHaveLength(0);
  expect(within(10_000, 4096)).toBeNull();
  expect(within(10_100, 4096)).toBeNull();
  expect(asked).toHaveLength(1);
  asked[0].come();
  await settle();
  expect(told).toBe(1);
  const stretch = within(10_050, 4096) as Stretch;
  expect(stretch.from).toBeLessThanOrEqual(10_050);
  expect(stretch.from + stretch.samples.length).toBeGreaterThanOrEqual(10_050 + 4096);
});

test('what came is drawn while the next is awaited, as far as it reaches; what came too late is not', async () => {
  const { asked, near } = source();
  const within = (from: number) => near.within(view(from, 4096), width, 500, () => {});
  within(10_000);
  asked[0].come();
  await settle();
  const first = within(10_000) as Stretch;
  // The next half view is asked for; the end of this one still reaches.
  expect(within(first.from + first.samples.length + 500 - 4096)).toBe(first);
  expect(within(30_000)).toBeNull();
  expect(within(50_000)).toBeNull();
  asked.at(-2)?.come();
  await settle();
  expect(within(50_000)).toBeNull();
  asked.at(-1)?.come();
  await settle();
  expect(within(50_000)).not.toBeNull();
});

test('what could not be read is asked for again with the next step', async () => {
  const { asked, near } = source();
  const within = (from: number) => near.within(view(from, 4096), width, 0, () => {});
  within(10_000);
  asked[0].fail();
  await settle();
  within(20_000);
  within(10_000);
  expect(asked).toHaveLength(3);
});
