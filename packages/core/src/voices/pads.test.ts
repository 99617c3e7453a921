import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { madeSource, type PadsSource } from '../derived/made-source.ts';
import { makingLoader } from '../derived/making.ts';
import { PadsSources, padsSegment } from '../derived/pads-sources.ts';
import { neutralStage } from '../image/stage.ts';
import { noise, sine } from '../measurement/signals.fixture.ts';
import { renderImage } from '../rendering/memory.fixture.ts';
import { seededHash } from '../signal/random.ts';
import { RealFft } from '../signal/spectrum.ts';
import { transforms } from '../signal/transforms.ts';
import { blockFrames, briefBlockFrames } from '../sources/blocks.ts';
import { PadsTuner, padsWindow } from './pads.ts';
import { newVoice } from './voice.ts';

const { sin, cos, PI, sqrt, log10, max, abs, hypot, min, round } = Math;

const rate = 48_000;

/** Energy beside these partials, more than 3 Hz from each or what the window is wide, in dB of the whole; by a window whose own sides lie 92 dB down (Harris 1978). */
function besideDb(samples: Float32Array, partials: readonly number[], size = 131_072): number {
  const near = max(3, (4.2 * rate) / size);
  const windowed = Float64Array.from({ length: size }, (_, n) => {
    const turn = (2 * PI * n) / size;
    const weight =
      0.35875 - 0.48829 * cos(turn) + 0.14128 * cos(2 * turn) - 0.01168 * cos(3 * turn);
    return weight * samples[n];
  });
  const fft = new RealFft(size);
  const spectrum = fft.createSpectrum();
  fft.forward(windowed, spectrum);
  let [beside, whole] = [0, 0];
  for (let bin = 0; bin <= size / 2; bin++) {
    const power = spectrum[2 * bin] ** 2 + spectrum[2 * bin + 1] ** 2;
    whole += power;
    const hz = (bin * rate) / size;
    if (partials.every((place) => abs(hz - place) > near)) beside += power;
  }
  return 10 * log10(beside / whole);
}

function tuned(
  samples: Float32Array,
  cents: number,
  seconds: number,
  before = 5,
  window = padsWindow(rate),
): Float32Array {
  const stretch = { from: 0, to: seconds * rate, before: before * rate, window };
  const tuner = new PadsTuner(stretch, 2 ** (cents / 1200), rate);
  const made = new Float32Array(seconds * rate);
  tuner.make(made.length, samples, 0, made);
  return made;
}

describe('pads', () => {
  // Marks of the design: sines −75 dBc, a stiff chord −62 dB, where a freely available phase vocoder at its best reaches −62.
  test.each([82.41, 440, 3100, 10_000].flatMap((hz) => [-50, 5, 50].map((c) => [hz, c] as const)))(
    'a sine of %d Hz by %d cents is a sine: −75 dBc beside it',
    (hz, cents) => {
      const made = tuned(sine(hz, -14, 8, rate), cents, 8, 1);
      const place = hz * 2 ** (cents / 1200);
      expect(besideDb(made.subarray(2 * rate), [place])).toBeLessThan(-75);
    },
  );

  test.each([10, -10, 50, -50])(
    'three stiff strings by %d cents: −62 dB, −54 for a moment',
    (cents) => {
      // E, B and E, each with a string's inharmonicity (Fletcher 1964): no partial is a multiple of another, some beat.
      const chord = [82.41, 123.47, 164.81].flatMap((hz) =>
        [1, 2, 3, 4, 5, 6, 7, 8].map((k) => hz * k * sqrt(1 + 6e-5 * k * k)),
      );
      const sound = new Float32Array(8 * rate);
      for (const [n, hz] of chord.entries())
        for (let at = 0; at < sound.length; at++)
          sound[at] += (0.1 / (1 + (n % 8))) * sin((2 * PI * hz * at) / rate + n);
      const places = chord.map((hz) => hz * 2 ** (cents / 1200));
      const beside = (made: Float32Array) => besideDb(made.subarray(2 * rate), places);
      expect(beside(tuned(sound, cents, 8, 1))).toBeLessThan(-62);
      // In the windows of what begins anew.
      expect(beside(tuned(sound, cents, 8, 1, padsWindow(rate) / 2))).toBeLessThan(-54);
    },
  );

  test('untuned, a sound is itself', () => {
    const sound = noise(4, rate, 5);
    const made = tuned(sound, 0, 4);
    let apart = 0;
    for (let n = rate; n < 3 * rate; n++) apart = max(apart, abs(made[n] - sound[n]));
    expect(20 * log10(apart)).toBeLessThan(-80);
  });

  test('a voice stays in time: what swells does so where it did', () => {
    const sound = new Float32Array(8 * rate);
    // A swell of a second in the middle.
    for (let n = 0; n < sound.length; n++)
      sound[n] = sin((2 * PI * 330 * n) / rate) * Math.exp(-(((n / rate - 4) / 0.5) ** 2));
    const made = tuned(sound, 40, 8, 1);
    let [weight, place] = [0, 0];
    for (let n = 0; n < made.length; n++) {
      weight += made[n] ** 2;
      place += n * made[n] ** 2;
    }
    expect(abs(place / weight / rate - 4)).toBeLessThan(0.001);
  });

  test('from one stretch to the next a tone goes on: no dip, no step, less than 0.2 Hz off its place', async () => {
    const hz = 196;
    const ratio = 2 ** (-15 / 1200);
    const sound = sine(hz, -6, 26, rate);
    const raw = { key: 'raw', frames: sound.length };
    const make = makingLoader((_, index) =>
      Promise.resolve(sound.subarray(index * blockFrames, (index + 1) * blockFrames)),
    );
    const source = madeSource(raw, { kind: 'pads', ratio }, rate);
    const made = new Float32Array(sound.length);
    // From the end to the beginning: a block is the same whichever was asked for first.
    const last = Math.ceil(raw.frames / blockFrames) - 1;
    for (let index = last; index >= 0; index--)
      made.set(await make(source, index), index * blockFrames);
    const forwards = await makingLoader((_, index) =>
      Promise.resolve(sound.subarray(index * blockFrames, (index + 1) * blockFrames)),
    )(source, last);
    expect(
      Buffer.compare(
        Buffer.from(forwards.buffer),
        Buffer.from(made.slice(last * blockFrames).buffer),
      ),
    ).toBe(0);
    const step = (2 * PI * hz * ratio) / rate;
    const hop = 2400;
    let before: number | null = null;
    let [lowest, highest, furthest] = [Infinity, 0, 0];
    for (let from = rate; from + hop < made.length - rate; from += hop) {
      let [re, im] = [0, 0];
      for (let n = from; n < from + hop; n++) {
        const weight = 0.5 - 0.5 * cos((2 * PI * (n - from)) / hop);
        re += weight * made[n] * cos(step * n);
        im -= weight * made[n] * sin(step * n);
      }
      const size = hypot(re, im);
      lowest = min(lowest, size);
      highest = max(highest, size);
      const angle = Math.atan2(im, re);
      if (before !== null) {
        const turn = angle - before - 2 * PI * round((angle - before) / (2 * PI));
        furthest = max(furthest, abs(turn / (2 * PI)) / (hop / rate));
      }
      before = angle;
    }
    expect(20 * log10(highest / lowest)).toBeLessThan(0.05);
    expect(furthest).toBeLessThan(0.2);
  });

  test.each([8000, 44_100, 48_000, 96_000, 192_000])(
    'at %d Hz phases have four seconds and more to glide, as at any other rate',
    (rateHz) => {
      const seconds = padsSegment(rateHz) / rateHz;
      expect(seconds / 2 - (2 * padsWindow(rateHz)) / rateHz).toBeGreaterThan(3.5);
      expect(seconds).toBeLessThan(17);
    },
  );

  test('in pieces it is what it is at once, and nothing is read before it is said to be needed', () => {
    const sound = noise(2, 8000, 9);
    const any = fc.record({
      cents: fc.integer({ min: -1250, max: 1250 }),
      from: fc.integer({ min: 0, max: 9000 }),
      length: fc.integer({ min: 1, max: 7000 }),
      before: fc.integer({ min: 0, max: 9000 }),
      pieces: fc.array(fc.integer({ min: 1, max: 4000 }), { maxLength: 6 }),
    });
    fc.assert(
      fc.property(any, ({ cents, from, length, before, pieces }) => {
        const stretch = { from, to: from + length, before };
        const ratio = 2 ** (cents / 1200);
        const [whole, apart] = [new Float32Array(length), new Float32Array(length)];
        const once = new PadsTuner(stretch, ratio, 8000);
        once.make(length, sound, 0, whole);
        const tuner = new PadsTuner(stretch, ratio, 8000);
        const [other, beside] = [new PadsTuner(stretch, 1 / ratio, 8000), whole.slice()];
        for (const count of [...pieces, length]) {
          const wanted = min(length, tuner.made + count);
          const known = sound.slice();
          known.fill(NaN, 0, max(0, tuner.readsFrom));
          known.fill(NaN, max(0, tuner.needs(wanted)));
          tuner.make(wanted, known, 0, apart);
          // Another one goes on in the same rooms meanwhile.
          other.make(other.made + 1, sound, 0, beside);
          expect(tuner.made).toBeGreaterThanOrEqual(wanted);
        }
        expect(apart).toEqual(whole);
        expect(whole.every(Number.isFinite)).toBe(true);
      }),
      { numRuns: 60 },
    );
  });

  test('there is room for no ratio that is lower than any that can be set', () => {
    const stretch = { from: 0, to: rate, before: 0 };
    expect(() => new PadsTuner(stretch, 0.39, rate)).toThrow(RangeError);
    expect(() => new PadsTuner(stretch, NaN, rate)).toThrow(RangeError);
  });

  test.each([-50, 7])(
    'what begins anew is tuned by %d cents from there on, and soon',
    async (cents) => {
      const hz = 440;
      const sound = sine(hz, -6, 60, rate);
      const ratio = 2 ** (cents / 1200);
      const asked = new Set<number>();
      const load = (_: unknown, index: number) => {
        asked.add(index);
        return Promise.resolve(sound.subarray(index * blockFrames, (index + 1) * blockFrames));
      };
      const anewAt = 804;
      const raw = { key: 'raw', frames: sound.length };
      const source = madeSource(raw, { kind: 'pads', ratio, anewAt }, rate);
      expect(source.key).not.toBe(madeSource(raw, { kind: 'pads', ratio }, rate).key);
      const make = makingLoader(load);
      const first = await make(source, anewAt);
      expect(first).toHaveLength(briefBlockFrames);
      // A second of the take round it, no more.
      expect(asked.size).toBeLessThan(4);
      // Whole from its first frame on, and the same whichever was asked for first, also before it and at its end.
      const last = Math.ceil(sound.length / briefBlockFrames) - 1;
      const others = makingLoader(load);
      for (const index of [last, 0, anewAt - 1, anewAt + 17, anewAt + 1, anewAt])
        expect((await others(source, index)).every(Number.isFinite)).toBe(true);
      expect(await others(source, anewAt)).toEqual(first);
      const heard = new Float32Array(16 * briefBlockFrames);
      for (let n = 0; n < 16; n++) heard.set(await make(source, anewAt + n), n * briefBlockFrames);
      expect(besideDb(heard, [hz * ratio], 32_768)).toBeLessThan(-75);
      const rms = (from: number) =>
        Math.sqrt(heard.subarray(from, from + 4096).reduce((sum, x) => sum + x * x, 0) / 4096);
      expect(abs(20 * log10(rms(0) / rms(12 * briefBlockFrames)))).toBeLessThan(0.05);
    },
  );

  test('what is dragged over for long lets other takes go on where they are', async () => {
    const sound = noise(30, rate, 6);
    let asked = 0;
    const load = (_: unknown, index: number) => {
      asked++;
      return Promise.resolve(sound.subarray(index * blockFrames, (index + 1) * blockFrames));
    };
    const sourceOf = (name: string, ratio: number, anewAt?: number) =>
      madeSource(
        { key: name, frames: sound.length },
        { kind: 'pads', ratio, ...(anewAt === undefined ? {} : { anewAt }) },
        rate,
      ) as PadsSource;
    const pads = new PadsSources(load);
    const others = Array.from({ length: 12 }, (_, n) => sourceOf(`other ${n}`, 1.01));
    for (const other of others) await pads.make(other, 20);
    // Two seconds of a drag, three segments a step.
    for (let step = 0; step < 30; step++)
      for (const index of [20, 28, 36])
        await pads.make(sourceOf('dragged', 1 + step / 2000, 20), index);
    asked = 0;
    for (const other of others) await pads.make(other, 21);
    // Begun anew each would read half of its segment again, eight blocks and more.
    expect(asked).toBeLessThan(5 * others.length);
  });

  test('what takes long rests between pieces, and what was stopped there goes on where it was', async () => {
    const sound = noise(30, 8000, 4);
    const load = (_: unknown, index: number) =>
      Promise.resolve(sound.subarray(index * blockFrames, (index + 1) * blockFrames));
    const raw = { key: 'raw', frames: sound.length };
    const source = madeSource(raw, { kind: 'pads', ratio: 1.01 }, 8000) as PadsSource;
    let [rests, stopsAt] = [0, Infinity];
    const rest = () =>
      ++rests === stopsAt ? Promise.reject(new Error('enough')) : Promise.resolve();
    const whole = await new PadsSources(load, rest).make(source, 4);
    const needed = rests;
    expect(needed).toBeGreaterThan(4);
    expect(await new PadsSources(load).make(source, 4)).toEqual(whole);
    [rests, stopsAt] = [0, 3];
    const stopped = new PadsSources(load, rest);
    await expect(stopped.make(source, 4)).rejects.toThrow('enough');
    expect(await stopped.make(source, 4)).toEqual(whole);
    expect(rests).toBeLessThanOrEqual(needed);
    // What is to be heard at once does not rest.
    rests = 0;
    const brief = madeSource(raw, { kind: 'pads', ratio: 1.01, anewAt: 8 }, 8000) as PadsSource;
    await stopped.make(brief, 8);
    expect(rests).toBe(0);
  });

  test('what could not be had is tried again, and what is let go of is used again', async () => {
    const seconds = 120;
    const sound = noise(seconds, 8000, 4);
    let failing = false;
    const load = (_: unknown, index: number) =>
      failing
        ? Promise.reject(new Error('out of reach'))
        : Promise.resolve(sound.subarray(index * blockFrames, (index + 1) * blockFrames));
    const sourceOf = (n: number) =>
      madeSource(
        { key: `raw ${n}`, frames: sound.length },
        { kind: 'pads', ratio: 1.01 },
        8000,
      ) as PadsSource;
    const pads = new PadsSources(load);
    const first = await pads.make(sourceOf(0), 0);
    failing = true;
    await expect(pads.make(sourceOf(0), padsSegment(8000) / blockFrames)).rejects.toThrow(
      'out of reach',
    );
    failing = false;
    const later = await pads.make(sourceOf(0), padsSegment(8000) / blockFrames);
    expect(later.every(Number.isFinite)).toBe(true);
    // Of many takes the beginning of a segment each, which nobody goes on with: no more memory than those that are kept.
    const makeMany = async (from: number) => {
      for (let n = from; n < from + 300; n++) await pads.make(sourceOf(n), 0);
    };
    await makeMany(1);
    const bytes = transforms.memory.buffer.byteLength;
    await makeMany(301);
    expect(transforms.memory.buffer.byteLength).toBe(bytes);
    expect(await pads.make(sourceOf(0), 0)).toEqual(first);
  });

  test('silence, a click at the very beginning and end, and an octave either way come out finite', () => {
    for (const cents of [-1250, 1250]) {
      const sound = new Float32Array(2 * rate);
      sound[0] = sound[sound.length - 1] = 1;
      const made = tuned(sound, cents, 2);
      expect(made.every(Number.isFinite)).toBe(true);
      expect(tuned(new Float32Array(rate), cents, 1).every((value) => value === 0)).toBe(true);
    }
  });

  test('tuned as a pad and half dry, a voice is the sum of both', async () => {
    const sound = Float32Array.from(
      { length: 3 * rate },
      (_, n) => 0.3 * (2 * seededHash(3, n) - 1),
    );
    const image = (mixPercent: number) => ({
      voices: [newVoice('v', 'v', { tuner: { kind: 'pads' as const, cents: 9, mixPercent } })],
      stage: neutralStage,
    });
    const [half, wet, dry] = await Promise.all(
      [50, 100, 0].map((mix) => renderImage(sound, image(mix))),
    );
    let apart = 0;
    for (let n = 0; n < half.left.length; n++)
      apart = max(apart, abs(half.left[n] - (wet.left[n] + dry.left[n]) / 2));
    expect(apart).toBeLessThan(1e-6);
  });
});
