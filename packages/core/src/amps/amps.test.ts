import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { makingLoader } from '../derived/making.ts';
import { noise } from '../measurement/signals.fixture.ts';
import { anyOf } from '../parameters/any.fixture.ts';
import { behindSharedDrive, voiceSource, type Ground } from '../rendering/strands.ts';
import { blockFrames, framesReader } from '../sources/blocks.ts';
import { newVoice } from '../voices/voice.ts';
import { ampDescription, ampGain, isRecorded, usualAmp, type Amp } from './amp.ts';
import { cabinetImpulse, cabinetKinds, cabinets } from './cabinet.ts';
import { cabinetResponse } from './cabinet-response.ts';
import { driveShapes, type Drive } from './drive.ts';
import { bent, DriveRun } from './drive-run.ts';
import { recordedImpulse } from './recorded-impulse.ts';
import { sharedDriveDescription } from './shared-drive.ts';

const { PI, abs, asin, atan, cos, hypot, log10, max, sin, sqrt } = Math;
const rate = 48_000;

/** Level of a frequency that fits a whole number of times into the samples, as an amplitude. */
function amplitude(samples: ArrayLike<number>, hz: number): number {
  let [re, im] = [0, 0];
  for (let n = 0; n < samples.length; n++) {
    re += samples[n] * cos((2 * PI * hz * n) / rate);
    im += samples[n] * sin((2 * PI * hz * n) / rate);
  }
  return (2 / samples.length) * hypot(re, im);
}

/** The last whole second of a driven sine of two. */
function driven(drive: Drive, hz: number, level: number): Float64Array {
  const samples = Float64Array.from(
    { length: 2 * rate },
    (_, n) => level * sin((2 * PI * hz * n) / rate),
  );
  new DriveRun(drive).process(samples);
  return samples.slice(rate);
}

describe('drive', () => {
  test.each(driveShapes)(
    '%s: what folds back of 5 kHz at 30 dB lies 50 dB under it or more',
    (shape) => {
      const samples = driven({ driveDb: 30, shape, inputDb: 0 }, 5000, 1);
      const own = amplitude(samples, 5000);
      let worst = 0;
      // Harmonics above 24 kHz fold to 3, 8, 13, 18 and 23 kHz, where no harmonic is.
      for (let hz = 500; hz < 24_000; hz += 500)
        if (hz % 5000 !== 0) worst = max(worst, amplitude(samples, hz));
      expect(20 * log10(worst / own)).toBeLessThan(-50);
    },
  );

  test('soft: harmonics of a sine are those of the arc tangent', () => {
    const driveDb = 26;
    const k = 10 ** (driveDb / 20) - 1;
    const samples = driven({ driveDb, shape: 'soft', inputDb: 0 }, 100, 0.8);
    // atan(A sin t) = 2 Σ pⁿ sin(nt)/n over odd n, p = (√(1 + A²) − 1)/A (Gradshteyn and Ryzhik 1.448; from memory).
    const a = (PI / 2) * k * 0.8;
    const p = (sqrt(1 + a * a) - 1) / a;
    for (const n of [1, 3, 5, 7, 9]) {
      const closed = ((1 + k) / k) * (2 / PI) * ((2 * p ** n) / n);
      expect(abs(20 * log10(amplitude(samples, 100 * n) / closed))).toBeLessThan(0.05);
    }
    for (const n of [2, 4, 6]) expect(amplitude(samples, 100 * n)).toBeLessThan(1e-5);
  });

  test('hard: harmonics of a sine are those of a sine that is cut off', () => {
    const driveDb = 20;
    const k = 10 ** (driveDb / 20) - 1;
    const samples = driven({ driveDb, shape: 'hard', inputDb: 6 }, 100, 0.4);
    const a = k * 0.4 * 10 ** (6 / 20);
    const edge = asin(1 / a);
    for (const n of [1, 3, 5, 7, 9]) {
      // Fourier's integrals over a quarter of the period: A sin t up to the edge, 1 from there on.
      const below =
        n === 1
          ? (a / 2) * (edge - sin(2 * edge) / 2)
          : (a / 2) * (sin((n - 1) * edge) / (n - 1) - sin((n + 1) * edge) / (n + 1));
      const closed = ((1 + k) / k) * (4 / PI) * abs(below + cos(n * edge) / n);
      expect(abs(20 * log10(amplitude(samples, 100 * n) / closed))).toBeLessThan(0.1);
    }
  });

  test('uneven: even harmonics, as strong as odd ones of that order', () => {
    const samples = driven({ driveDb: 20, shape: 'uneven', inputDb: 0 }, 100, 0.5);
    const level = (n: number) => 20 * log10(amplitude(samples, 100 * n) / amplitude(samples, 100));
    expect(level(2)).toBeGreaterThan(-30);
    expect(level(3)).toBeGreaterThan(-30);
  });

  test.each(driveShapes)(
    '%s: quiet it is raised by the drive, loud it ends at full scale',
    (shape) => {
      for (const driveDb of [1, 12, 60]) {
        expect(bent(shape, driveDb, 1e-7) / (1e-7 * 10 ** (driveDb / 20))).toBeCloseTo(1, 3);
        const k = 10 ** (driveDb / 20) - 1;
        expect(abs(bent(shape, driveDb, 1e9))).toBeLessThanOrEqual(((1 + k) / k) * 1.5);
      }
      expect(bent(shape, 0, 0.3)).toBe(0.3);
      // It rises everywhere: nothing is folded back.
      let before = -Infinity;
      for (let x = -3; x <= 3; x += 0.01) {
        const y = bent(shape, 18, x);
        expect(y).toBeGreaterThanOrEqual(before - 1e-12);
        before = y;
      }
    },
  );
});

describe('cabinets', () => {
  const plain = { acrossPercent: 30, distanceCm: 5, keepDelay: false };
  const levels = (kind: (typeof cabinetKinds)[number], changes = {}) => {
    const at = cabinetResponse({ kind, ...plain, ...changes }, rate);
    return [80, 160, 315, 630, 1250, 2500, 5000, 10_000].map((hz) => {
      const { re, im } = at(hz);
      return 20 * log10(hypot(re, im));
    });
  };

  test('are at least eight, and every two of them differ by 2 dB on the mean of octaves, or more', () => {
    expect(cabinetKinds.length).toBeGreaterThanOrEqual(8);
    for (const [n, kind] of cabinetKinds.entries())
      for (const other of cabinetKinds.slice(n + 1)) {
        const [one, two] = [levels(kind), levels(other)];
        const apart = one.reduce((sum, db, k) => sum + abs(db - two[k]), 0) / one.length;
        expect([kind, other, apart > 2]).toEqual([kind, other, true]);
      }
  });

  test.each(cabinetKinds)(
    '%s: a sweep through it measures the transform of its impulse (Farina 2000)',
    async (kind) => {
      const impulse = cabinetImpulse({ kind, ...plain }, rate);
      // An exponential sweep of 2 s and silence for its tail, played through and divided by itself, frequency by frequency.
      const seconds = 2;
      const [from, to] = [30, 16_000];
      const ratio = Math.log(to / from);
      const sweep = Float32Array.from({ length: (seconds + 0.2) * rate }, (_, n) => {
        const t = n / rate;
        const fade = max(0, Math.min(1, n / 500, (seconds * rate - n) / 500));
        return (
          fade *
          0.5 *
          sin(((2 * PI * from * seconds) / ratio) * (Math.exp((t * ratio) / seconds) - 1))
        );
      });
      const amp = ampDescription.parse({ cabinet: { kind, ...plain } });
      const played = await through(amp, sweep);
      const at = cabinetResponse({ kind, ...plain }, rate);
      const transform = (samples: ArrayLike<number>, hz: number) => {
        let [re, im] = [0, 0];
        for (let n = 0; n < samples.length; n++) {
          re += samples[n] * cos((2 * PI * hz * n) / rate);
          im -= samples[n] * sin((2 * PI * hz * n) / rate);
        }
        return { re, im };
      };
      for (const hz of [63, 125, 500, 1000, 2000, 4000, 8000]) {
        const [out, into] = [transform(played, hz), transform(sweep, hz)];
        const power = into.re ** 2 + into.im ** 2;
        const re = (out.re * into.re + out.im * into.im) / power;
        const im = (out.im * into.re - out.re * into.im) / power;
        const own = transform(impulse, hz);
        expect(hypot(re - own.re, im - own.im)).toBeLessThan(0.002);
        // And so do predictions, straight between their bins.
        const near = at(hz);
        expect(hypot(near.re - own.re, near.im - own.im)).toBeLessThan(0.03);
      }
      expect(impulse.findIndex((value) => abs(value) > 1e-4)).toBeLessThan(4);
    },
  );

  test('a kept distance is heard as its delay: a metre is 2.92 ms', () => {
    const first = (keepDelay: boolean) => {
      const impulse = cabinetImpulse(
        { kind: 'closed-one-cone', acrossPercent: 0, distanceCm: 100, keepDelay },
        rate,
      );
      const highest = impulse.reduce((most, value) => max(most, abs(value)), 0);
      return impulse.findIndex((value) => abs(value) > 0.3 * highest);
    };
    expect((first(true) - first(false)) / 48).toBeCloseTo(100 / 34.3, 1);
  });

  test('the edge of the cone is darker than its middle; a near microphone is fuller', () => {
    const [, , , , , , five] = levels('closed-one-cone', { acrossPercent: 0 });
    const [, , , , , , edge] = levels('closed-one-cone', { acrossPercent: 100 });
    expect(edge).toBeLessThan(five - 3);
    // What is low against what is in the middle.
    const fullness = (distanceCm: number) => {
      const [low, , , , middle] = levels('closed-one-cone', { distanceCm });
      return low - middle;
    };
    expect(fullness(0)).toBeGreaterThan(fullness(20) + 2);
  });

  test('each is called what it is', () => {
    expect(new Set(cabinetKinds.map((kind) => cabinets[kind].name)).size).toBe(cabinetKinds.length);
  });
});

/** What each voice of the tests may be heard through, by name. */
const responses = new Map<string, Float32Array>();
const ground: Ground = {
  rateHz: rate,
  impulses: (name) => {
    const frames = responses.get(name)?.length;
    return frames === undefined ? undefined : { key: name, frames };
  },
  placesMove: new Set(),
  cutsMove: new Set(),
  delaysMove: new Map(),
  drivesMove: new Map(),
};

/** A take played through a chain, as a voice reads it. */
async function through(amp: Amp, sound: Float32Array, voice = {}): Promise<Float32Array> {
  const raw = { key: 'raw', frames: sound.length };
  const take = { raw, prepared: raw, peak: 1, level: 1 };
  const source = voiceSource(newVoice('v', 'voice', { amp, ...voice }), take, ground, 0, 1, {}, 0);
  const load = makingLoader(({ key }, index) =>
    Promise.resolve(
      (responses.get(key) ?? sound).subarray(index * blockFrames, (index + 1) * blockFrames),
    ),
  );
  return framesReader(source, load)(0, sound.length);
}

describe('a chain', () => {
  const sound = noise(1.5, rate, 17, 0.5);

  test('of nothing leaves every bit', async () => {
    expect(await through(ampDescription.parse({}), sound)).toEqual(sound);
    expect(ampGain(ampDescription.parse({ levelDb: -6 }))).toBeCloseTo(0.501, 3);
    expect(ampGain(null)).toBe(1);
  });

  test('of a cabinet alone is direct convolution, to one in a million', async () => {
    const amp = ampDescription.parse({ cabinet: { kind: 'squat-four-cone' } });
    if (!amp.cabinet || isRecorded(amp.cabinet)) throw new Error('There is one of ours.');
    const impulse = cabinetImpulse(amp.cabinet, rate);
    const played = await through(amp, sound);
    for (const n of [0, 1, 100, 2063, 32_767, 32_768, 32_769, 60_001]) {
      let direct = 0;
      for (let k = 0; k < impulse.length && k <= n; k++) direct += impulse[k] * sound[n - k];
      expect(abs(played[n] - direct)).toBeLessThan(1e-6);
    }
  });

  test('is in its place: the drive takes no time', async () => {
    const amp = ampDescription.parse({ driveDb: 0.5, shape: 'soft' });
    const played = await through(amp, sound);
    const sums = [-2, -1, 0, 1, 2].map((lag) => {
      let sum = 0;
      for (let n = 10_000; n < 40_000; n++) sum += sound[n] * played[n + lag];
      return sum;
    });
    const [a, b, c] = sums.slice(1, 4);
    expect(b).toBe(max(...sums));
    expect(abs((0.5 * (a - c)) / (a - 2 * b + c))).toBeLessThan(0.05);
  });

  test('with drive its crest falls; squash brings down what is loud for long against what is not', async () => {
    const loud = sound.map((value, n) => value * (n % 24_000 < 12_000 ? 1 : 0.1));
    const play = (driveDb: number, squashPercent: number) =>
      through({ ...usualAmp, cabinet: null, driveDb, squashPercent, recoveryMs: 20 }, loud);
    const rms = (samples: Float32Array) =>
      sqrt(samples.reduce((sum, value) => sum + value * value, 0) / samples.length);
    const crest = (samples: Float32Array) =>
      samples.reduce((most, value) => max(most, abs(value)), 0) / rms(samples);
    expect(20 * log10(crest(await play(24, 0)) / crest(loud))).toBeLessThan(-3);
    // The second half of each, where it has settled.
    const range = (samples: Float32Array) =>
      20 * log10(rms(samples.subarray(30_000, 36_000)) / rms(samples.subarray(42_000, 48_000)));
    const [plain, squashed] = [await play(0, 0), await play(0, 100)];
    expect(range(squashed)).toBeLessThan(range(plain) - 4);
  });

  test('of any settings gives numbers, and none that are beyond all measure', async () => {
    const short = sound.subarray(0, 9000);
    await fc.assert(
      fc.asyncProperty(anyOf(ampDescription), async (amp) => {
        const played = await through(amp, short);
        for (const value of played) if (!(abs(value) < 1e4)) expect(value).toBeLessThan(1e4);
      }),
      {
        numRuns: 60,
        examples: [[{ ...usualAmp, driveDb: 5e-324 }], [{ ...usualAmp, driveDb: 1e-3 }]],
      },
    );
  });

  test('silence in, silence out', async () => {
    for (const shape of driveShapes) {
      const played = await through({ ...usualAmp, shape, driveDb: 60 }, new Float32Array(40_000));
      expect(played.every((value) => value === 0)).toBe(true);
    }
  });

  test('the tangent of the soft shape is what it says', () => {
    expect(bent('soft', 20 * log10(2), 1)).toBeCloseTo(2 * (2 / PI) * atan(PI / 2), 12);
  });
});

describe('an impulse response of one’s own', () => {
  const sound = noise(1.5, rate, 19, 0.4);
  const heardThrough = (name: string, settings = {}) =>
    ampDescription.parse({ cabinet: { impulse: name, ...settings } });
  /** Some milliseconds of nothing, and then a decaying noise. */
  const recorded = (seconds: number, silence: number, seed: number) =>
    noise(seconds, rate, seed, 0.5).map((value, n) =>
      n < silence ? 0 : value * Math.exp(-(n - silence) / 4000),
    );

  test.each([0.01, 0.3, 1])(
    'of %d s is direct convolution, to one in a million',
    async (seconds) => {
      const name = `direct-${seconds}`;
      const impulse = recorded(seconds, 30, 5).map((value) => value / 40);
      responses.set(name, impulse);
      const played = await through(heardThrough(name), sound);
      for (const n of [0, 29, 30, 31, 5000, 32_767, 32_768, 47_999, 65_536, 71_000]) {
        let direct = 0;
        for (let k = 0; k < impulse.length && k <= n; k++) direct += impulse[k] * sound[n - k];
        expect(abs(played[n] - direct)).toBeLessThan(1e-6);
      }
    },
  );

  test('is where it was recorded, or begins at once', async () => {
    responses.set(
      'late',
      Float32Array.from({ length: 2000 }, (_, n) => (n === 480 ? 0.5 : 0)),
    );
    const kept = await through(heardThrough('late'), sound);
    const trimmed = await through(heardThrough('late', { keepDelay: false }), sound);
    const evened = await through(heardThrough('late', { levelled: true }), sound);
    for (const n of [480, 5000, 40_000]) {
      expect(kept[n]).toBeCloseTo(0.5 * sound[n - 480], 6);
      expect(trimmed[n]).toBeCloseTo(0.5 * sound[n], 6);
      expect(evened[n]).toBeCloseTo(sound[n - 480], 6);
    }
  });

  test('is as no cabinet where it is gone', async () => {
    expect(await through(heardThrough('nowhere'), sound)).toEqual(sound);
  });

  test.each([-7, 5, 12])('before %d semitones stands where it would without', (semitones) => {
    const ratio = 2 ** (semitones / 12);
    const plain = recordedImpulse(resonance(900), { keepDelay: true, levelled: false }, rate);
    const moved = recordedImpulse(
      resonance(900),
      { keepDelay: true, levelled: false },
      rate,
      ratio,
    );
    // Read `ratio` faster, what it does at f / ratio is what it does at f.
    for (const hz of [200, 700, 900, 1100, 3000])
      expect(levelAt(moved, hz / ratio)).toBeCloseTo(levelAt(plain, hz), 1);
  });

  test('what it does at a frequency is known once it was read', async () => {
    const response = recorded(0.2, 0, 11);
    responses.set('read', response);
    const cabinet = {
      impulse: { key: 'read', frames: response.length },
      keepDelay: true,
      levelled: false,
    };
    // On a line of its transform, between which it is straight.
    const hz = (1365 * rate) / 65_536;
    expect(cabinetResponse(cabinet, rate)(hz)).toEqual({ re: 1, im: 0 });
    await through(heardThrough('read'), sound);
    const { re, im } = cabinetResponse(cabinet, rate)(hz);
    const level = levelAt(Float64Array.from(response), hz);
    expect(20 * log10(hypot(re, im))).toBeCloseTo(level, 3);
  });

  function resonance(hz: number): Float32Array {
    return Float32Array.from(
      { length: 6000 },
      (_, n) => 0.02 * Math.exp(-n / 700) * sin((2 * PI * hz * n) / rate),
    );
  }

  function levelAt(impulse: Float64Array, hz: number): number {
    let [re, im] = [0, 0];
    for (const [n, value] of impulse.entries()) {
      re += value * cos((2 * PI * hz * n) / rate);
      im += value * sin((2 * PI * hz * n) / rate);
    }
    return 20 * log10(hypot(re, im));
  }
});

describe('a drive in front of all voices', () => {
  const raw = { key: 'raw', frames: 48_000 };

  test('of nothing is none, and stands behind nothing but the take', () => {
    const nothing = sharedDriveDescription.parse({});
    expect(behindSharedDrive(raw, undefined, rate)).toBe(raw);
    expect(behindSharedDrive(raw, nothing, rate)).toBe(raw);
    const pushed = behindSharedDrive(raw, { ...nothing, driveDb: 20, shape: 'uneven' }, rate);
    expect(pushed.key).toMatch(/^raw>drive.*>body/);
  });

  test('bends as the drive of a chain does', async () => {
    const sound = noise(0.5, rate, 23, 0.5);
    const drive = { ...sharedDriveDescription.parse({}), driveDb: 18 };
    const load = makingLoader((_, index) =>
      Promise.resolve(sound.subarray(index * blockFrames, (index + 1) * blockFrames)),
    );
    const source = behindSharedDrive({ key: 'raw', frames: sound.length }, drive, rate);
    const shared = await framesReader(source, load)(0, sound.length);
    expect(shared).toEqual(await through(ampDescription.parse({ driveDb: 18 }), sound));
  });
});
