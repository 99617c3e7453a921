import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { madeSource, type VocodedSource } from '../derived/made-source.ts';
import { makingLoader } from '../derived/making.ts';
import { VocodedSources, vocodedSegment } from '../derived/vocoded-sources.ts';
import { neutralStage } from '../image/stage.ts';
import { noise, sine } from '../measurement/signals.fixture.ts';
import { renderImage } from '../rendering/memory.fixture.ts';
import { seededHash } from '../signal/random.ts';
import { RealFft } from '../signal/spectrum.ts';
import { transforms } from '../signal/transforms.ts';
import { blockFrames, briefBlockFrames } from '../sources/blocks.ts';
import { VocoderTuner, vocoderWindow } from './vocoder-tuner.ts';
import { newVoice, vocodedKinds } from './voice.ts';

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
  before: number,
  window: number,
): Float32Array {
  const stretch = { from: 0, to: seconds * rate, before: before * rate, window };
  const tuner = new VocoderTuner(stretch, 2 ** (cents / 1200));
  const made = new Float32Array(seconds * rate);
  tuner.make(made.length, samples, 0, made);
  return made;
}

describe.each(vocodedKinds)('%s', (kind) => {
  const window = vocoderWindow(kind, rate);

  // Marks of the design: sines −75 dBc, a stiff chord −62 dB, where a freely available phase vocoder at its best reaches −62.
  test.each([82.41, 440, 3100, 10_000].flatMap((hz) => [-50, 5, 50].map((c) => [hz, c] as const)))(
    'a sine of %d Hz by %d cents is a sine: −75 dBc beside it',
    (hz, cents) => {
      const made = tuned(sine(hz, -14, 8, rate), cents, 8, 1, window);
      const place = hz * 2 ** (cents / 1200);
      expect(besideDb(made.subarray(2 * rate), [place])).toBeLessThan(-75);
    },
  );

  test.each([10, -10, 50, -50])(
    'three stiff strings by %d cents: pads −62 dB, −54 for a moment; chords −45',
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
      expect(beside(tuned(sound, cents, 8, 1, window))).toBeLessThan(kind === 'pads' ? -62 : -45);
      // In the windows of what begins anew.
      if (kind === 'pads') expect(beside(tuned(sound, cents, 8, 1, window / 2))).toBeLessThan(-54);
    },
  );

  test('untuned, a sound is itself', () => {
    const sound = noise(4, rate, 5);
    const made = tuned(sound, 0, 4, 5, window);
    let apart = 0;
    for (let n = rate; n < 3 * rate; n++) apart = max(apart, abs(made[n] - sound[n]));
    expect(20 * log10(apart)).toBeLessThan(-80);
  });

  test('a voice stays in time: what swells does so where it did', () => {
    const sound = new Float32Array(8 * rate);
    // A swell of a second in the middle.
    for (let n = 0; n < sound.length; n++)
      sound[n] = sin((2 * PI * 330 * n) / rate) * Math.exp(-(((n / rate - 4) / 0.5) ** 2));
    const made = tuned(sound, 40, 8, 1, window);
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
    const source = madeSource(raw, { kind: 'vocoded', as: kind, ratio }, rate);
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
      const seconds = vocodedSegment(rateHz) / rateHz;
      expect(seconds / 2 - (2 * vocoderWindow('pads', rateHz)) / rateHz).toBeGreaterThan(3.5);
      expect(seconds).toBeLessThan(17);
    },
  );

  test('in pieces it is what it is at once, and nothing is read before it is said to be needed', () => {
    const sound = noise(2, 8000, 9);
    const any = fc.record({
      kind: fc.constantFrom(...vocodedKinds),
      cents: fc.integer({ min: -1250, max: 1250 }),
      from: fc.integer({ min: 0, max: 9000 }),
      length: fc.integer({ min: 1, max: 7000 }),
      before: fc.integer({ min: 0, max: 9000 }),
      pieces: fc.array(fc.integer({ min: 1, max: 4000 }), { maxLength: 6 }),
    });
    fc.assert(
      fc.property(any, ({ kind, cents, from, length, before, pieces }) => {
        const window = vocoderWindow(kind, 8000);
        const stretch = { from, to: from + length, before, window };
        const ratio = 2 ** (cents / 1200);
        const [whole, apart] = [new Float32Array(length), new Float32Array(length)];
        const once = new VocoderTuner(stretch, ratio);
        once.make(length, sound, 0, whole);
        const tuner = new VocoderTuner(stretch, ratio);
        const [other, beside] = [new VocoderTuner(stretch, 1 / ratio), whole.slice()];
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
    const stretch = { from: 0, to: rate, before: 0, window: 4096 };
    expect(() => new VocoderTuner(stretch, 0.39)).toThrow(RangeError);
    expect(() => new VocoderTuner(stretch, NaN)).toThrow(RangeError);
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
      const source = madeSource(raw, { kind: 'vocoded', as: kind, ratio, anewAt }, rate);
      expect(source.key).not.toBe(madeSource(raw, { kind: 'vocoded', as: kind, ratio }, rate).key);
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
        { kind: 'vocoded', as: 'pads', ratio, ...(anewAt === undefined ? {} : { anewAt }) },
        rate,
      ) as VocodedSource;
    const pads = new VocodedSources(load);
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
    const source = madeSource(
      raw,
      { kind: 'vocoded', as: 'pads', ratio: 1.01 },
      8000,
    ) as VocodedSource;
    let [rests, stopsAt] = [0, Infinity];
    const rest = () =>
      ++rests === stopsAt ? Promise.reject(new Error('enough')) : Promise.resolve();
    const whole = await new VocodedSources(load, rest).make(source, 4);
    const needed = rests;
    expect(needed).toBeGreaterThan(4);
    expect(await new VocodedSources(load).make(source, 4)).toEqual(whole);
    [rests, stopsAt] = [0, 3];
    const stopped = new VocodedSources(load, rest);
    await expect(stopped.make(source, 4)).rejects.toThrow('enough');
    expect(await stopped.make(source, 4)).toEqual(whole);
    expect(rests).toBeLessThanOrEqual(needed);
    // What is to be heard at once does not rest.
    rests = 0;
    const brief = madeSource(
      raw,
      { kind: 'vocoded', as: 'pads', ratio: 1.01, anewAt: 8 },
      8000,
    ) as VocodedSource;
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
        { kind: 'vocoded', as: 'pads', ratio: 1.01 },
        8000,
      ) as VocodedSource;
    const pads = new VocodedSources(load);
    const first = await pads.make(sourceOf(0), 0);
    failing = true;
    await expect(pads.make(sourceOf(0), vocodedSegment(8000) / blockFrames)).rejects.toThrow(
      'out of reach',
    );
    failing = false;
    const later = await pads.make(sourceOf(0), vocodedSegment(8000) / blockFrames);
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
      const made = tuned(sound, cents, 2, 5, window);
      expect(made.every(Number.isFinite)).toBe(true);
      expect(tuned(new Float32Array(rate), cents, 1, 5, window).every((value) => value === 0)).toBe(
        true,
      );
    }
  });

  test('half dry, a voice is the sum of both', async () => {
    const sound = Float32Array.from(
      { length: 3 * rate },
      (_, n) => 0.3 * (2 * seededHash(3, n) - 1),
    );
    const image = (mixPercent: number) => ({
      voices: [newVoice('v', 'v', { tuner: { kind, cents: 9, mixPercent } })],
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

test.each([8000, 16_000, 22_050, 32_000, 44_100, 64_000, 88_200, 96_000, 176_400, 192_000])(
  'at %d Hz windows of chords tell low strings apart: −40 dB beside three of them by 50 cents',
  (rateHz) => {
    // As many samples as at that rate, heard at another one.
    const scale = rate / rateHz;
    const chord = [82.41, 123.47, 164.81].flatMap((hz) =>
      [1, 2, 3, 4, 5, 6, 7, 8].map((k) => scale * hz * k * sqrt(1 + 6e-5 * k * k)),
    );
    const sound = new Float32Array(8 * rate);
    for (const [n, hz] of chord.entries())
      for (let at = 0; at < sound.length; at++)
        sound[at] += (0.1 / (1 + (n % 8))) * sin((2 * PI * hz * at) / rate + n);
    const made = tuned(sound, 50, 8, 1, vocoderWindow('chords', rateHz));
    const places = chord.map((hz) => hz * 2 ** (50 / 1200));
    expect(besideDb(made.subarray(2 * rate), places, 262_144)).toBeLessThan(-40);
  },
);

describe('strums of six strings, choked before each', () => {
  const sound = new Float32Array(8 * rate);
  const strums: number[] = [];
  for (let at = rate / 2; at < sound.length - rate; at += rate / 2) {
    strums.push(at);
    for (const [string, hz] of [82.41, 123.47, 164.81, 207.65, 246.94, 329.63].entries())
      for (let k = 1; k <= 12; k++) {
        const from = at + round(0.008 * string * rate);
        const [decay, partial] = [(0.1 + 0.6 / k) * rate, hz * k * sqrt(1 + 6e-5 * k * k)];
        for (let n = 0; n < 0.35 * rate; n++)
          sound[from + n] +=
            (0.06 / k) * Math.exp(-n / decay) * sin((2 * PI * partial * n) / rate + k);
      }
  }
  /** What sounds in the 40 ms before a strum against the 40 ms from it on, all but its last 2 ms, in dB. */
  const beforeDb = (made: Float32Array) => {
    let [early, hit] = [0, 0];
    for (const at of strums.slice(2)) {
      for (let n = at - 1920; n < at - 96; n++) early += made[n] ** 2;
      for (let n = at; n < at + 1920; n++) hit += made[n] ** 2;
    }
    return 10 * log10(early / hit);
  };

  test.each([
    [6, -50],
    [-10, -46],
    [50, -35],
    [-50, -34],
  ])('by %d cents as chords: hardly anything is heard before one, %d dB', (cents, mark) => {
    const made = tuned(sound, cents, 8, 0.1, vocoderWindow('chords', rate));
    expect(beforeDb(made)).toBeLessThan(mark);
    // Which pads cannot say.
    const soft = tuned(sound, cents, 8, 0.1, vocoderWindow('pads', rate));
    expect(beforeDb(soft)).toBeGreaterThan(-30);
  });
});
