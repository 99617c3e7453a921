import { describe, expect, test } from '@jest/globals';
import { noise, rms, sine } from '../measurement/signals.fixture.ts';
import { sectionDb } from '../signal/filters.ts';
import { fftOf } from '../signal/spectrum.ts';
import { ColourRun } from './colour.ts';
import { driftAt, driftExtremes, driftPath } from './drift.ts';
import { spreadPhase } from './response.ts';
import { moveTimbre, timbreReach } from './timbre.ts';
import { neutralTone, toneSections } from './tone.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { cos, sin, PI } = Math;
const rate = 48_000;

/** Amplitude of a signal at one frequency, over its middle half. */
function amplitudeAt(signal: ArrayLike<number>, hz: number): number {
  const from = Math.round(signal.length / 4);
  const count = Math.round(signal.length / 2);
  let re = 0;
  let im = 0;
  let sum = 0;
  for (let n = 0; n < count; n++) {
    const window = 0.5 - 0.5 * cos((2 * PI * n) / count);
    const w = (2 * PI * hz * (from + n)) / rate;
    re += window * signal[from + n] * cos(w);
    im += window * signal[from + n] * sin(w);
    sum += window;
  }
  return (2 * Math.hypot(re, im)) / sum;
}

describe('drift', () => {
  const tenMinutes = 600 * rate;

  test.each([
    [6, 0.4],
    [20, 0.05],
    [2, 5],
  ])(
    '±%d ms at %d Hz over ten minutes: its largest excursion is the range, and it stays round its place',
    (rangeMs, rateHz) => {
      const path = driftPath({ rangeMs, rateHz, seed: 7 }, rate, tenMinutes);
      const { frames } = driftExtremes(path, tenMinutes);
      expect(frames / rate).toBeCloseTo(rangeMs / 1000, 6);
      let sum = 0;
      let count = 0;
      let early = 0;
      let late = 0;
      for (let n = 0; n < tenMinutes; n += 4801) {
        const at = driftAt(path, n);
        sum += at;
        count++;
        early = Math.min(early, at);
        late = Math.max(late, at);
      }
      expect(Math.abs(sum / count)).toBeLessThan(0.35 * frames);
      expect(early).toBeLessThan(-0.4 * frames);
      expect(late).toBeGreaterThan(0.4 * frames);
    },
  );

  test('the same seed is the same path; another one is another', () => {
    const drift = { rangeMs: 6, rateHz: 0.5, seed: 11 };
    const one = driftPath(drift, rate, 60 * rate);
    const again = driftPath(drift, rate, 60 * rate);
    const other = driftPath({ ...drift, seed: 12 }, rate, 60 * rate);
    let [xy, xx, yy] = [0, 0, 0];
    for (let n = 0; n < 60 * rate; n += 997) {
      expect(driftAt(one, n)).toBe(driftAt(again, n));
      const [x, y] = [driftAt(one, n), driftAt(other, n)];
      xy += x * y;
      xx += x * x;
      yy += y * y;
    }
    expect(Math.abs(xy / Math.sqrt(xx * yy))).toBeLessThan(0.4);
  });

  test('it is held to its rate: beyond four times it lies 40 dB lower', () => {
    const rateHz = 1;
    const path = driftPath({ rangeMs: 10, rateHz, seed: 3 }, rate, 600 * rate);
    const size = 8192;
    const step = rate / 16;
    const fft = fftOf(size);
    const spectrum = fft.createComplexArray();
    const samples = Array.from(
      { length: size },
      (_, n) => driftAt(path, n * step) * (0.5 - 0.5 * cos((2 * PI * n) / size)),
    );
    fft.realTransform(spectrum, samples);
    const power = (fromHz: number, toHz: number) => {
      let sum = 0;
      for (let k = Math.ceil((fromHz * size) / 16); k < (toHz * size) / 16; k++)
        sum += spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2;
      return sum;
    };
    expect(10 * Math.log10(power(4, 8) / power(0, 2))).toBeLessThan(-40);
  });

  test('the largest cents that are shown are those of the path', () => {
    const path = driftPath({ rangeMs: 6, rateHz: 0.5, seed: 5 }, rate, 30 * rate);
    const { cents } = driftExtremes(path, 30 * rate);
    let steepest = 0;
    for (let n = 0; n < 30 * rate; n += 16)
      steepest = Math.max(steepest, Math.abs(driftAt(path, n + 16) - driftAt(path, n)) / 16);
    expect(cents).toBeGreaterThan(0.97 * 1200 * Math.abs(Math.log2(1 - steepest)));
    expect(cents).toBeLessThan(1.03 * 1200 * Math.abs(Math.log2(1 - steepest)));
  });
});

describe('colour', () => {
  const run = (hz: number, oddPercent: number, evenPercent: number, level = 0) => {
    const samples = Float64Array.from(sine(hz, level, 1, rate));
    new ColourRun({ oddPercent, evenPercent }, 1, rate).process(samples);
    return samples;
  };

  test('odd gives the third harmonic alone, 19.1 dB under the tone at 100 %', () => {
    const made = run(1000, 100, 0);
    const tone = amplitudeAt(made, 1000);
    expect(20 * Math.log10(amplitudeAt(made, 3000) / tone)).toBeCloseTo(-19.1, 1);
    for (const hz of [2000, 4000, 5000])
      expect(20 * Math.log10(amplitudeAt(made, hz) / tone)).toBeLessThan(-100);
  });

  test('even gives the second alone, 18.1 dB under it, and no mean', () => {
    const made = run(1000, 0, 100);
    const tone = amplitudeAt(made, 1000);
    expect(20 * Math.log10(amplitudeAt(made, 2000) / tone)).toBeCloseTo(-18.1, 1);
    for (const hz of [3000, 4000])
      expect(20 * Math.log10(amplitudeAt(made, hz) / tone)).toBeLessThan(-100);
    const mean = made.subarray(rate / 2).reduce((sum, x) => sum + x, 0) / (rate / 2);
    expect(Math.abs(mean)).toBeLessThan(1e-4);
  });

  test('a soft tone gets less of it, as its amplifier would give', () => {
    const made = run(1000, 0, 100, -20);
    const ratio = amplitudeAt(made, 2000) / amplitudeAt(made, 1000);
    expect(20 * Math.log10(ratio)).toBeCloseTo(-38.1, 1);
  });

  test.each([5000, 9000, 13_000, 17_000])(
    '%i Hz at full level: what would fold back lies 90 dB under it',
    (hz) => {
      const made = run(hz, 100, 100);
      const tone = amplitudeAt(made, hz);
      const folded = (harmonic: number) => {
        const place = (harmonic * hz) % rate;
        return place > rate / 2 ? rate - place : place;
      };
      for (const harmonic of [2, 3])
        if (harmonic * hz > rate / 2)
          expect(20 * Math.log10(amplitudeAt(made, folded(harmonic)) / tone)).toBeLessThan(-90);
    },
  );

  test('none is the signal itself, late by what is told', () => {
    const signal = noise(0.2, rate, 4);
    const made = Float64Array.from(signal);
    new ColourRun({ oddPercent: 0, evenPercent: 0 }, 1, rate).process(made);
    let error = 0;
    // A half-band filter lets go above 0.45 of the rate, where this noise still has a tenth of its energy.
    for (let n = 1000; n < made.length; n++)
      error += (made[n] - signal[n - ColourRun.latencyFrames]) ** 2;
    expect(Math.sqrt(error / made.length) / rms(signal)).toBeLessThan(0.35);
  });
});

describe('tone', () => {
  test('a tilt turns about 1 kHz', () => {
    const levels = (tiltDb: number, hz: number) =>
      toneSections({ ...neutralTone, tiltDb }, rate, 1).reduce(
        (sum, section) => sum + sectionDb(section, hz, rate),
        0,
      );
    for (const tiltDb of [-12, -3, 6]) {
      expect(levels(tiltDb, 1000)).toBeCloseTo(0, 6);
      expect(levels(tiltDb, 20)).toBeCloseTo(-tiltDb / 2, 0);
      expect(levels(tiltDb, 20_000)).toBeCloseTo(tiltDb / 2, 0);
    }
  });

  test('what is tuned up afterwards is cut so much lower, to end in its place', () => {
    const [cut] = toneSections({ ...neutralTone, highCutHz: 4000 }, rate, 2);
    expect(sectionDb(cut, 2000, rate)).toBeCloseTo(-3.01, 1);
    expect(toneSections(neutralTone, rate, 1)).toEqual([]);
  });
});

test('spread sides are never farther apart than they may be, and together in the low end', () => {
  for (const degrees of [20, 60, 110])
    for (let hz = 5; hz < 24_000; hz *= 1.01) {
      const apart = (2 * spreadPhase(hz, degrees) * 180) / PI;
      expect(Math.abs(apart)).toBeLessThanOrEqual(degrees + 1e-9);
      if (hz <= 150) expect(Math.abs(apart)).toBe(0);
    }
});

describe('the retuned layer', () => {
  const pitchHz = 110;
  /** Harmonics under a formant. */
  const vowel = (formantHz: number) => {
    const samples = new Float32Array(rate);
    for (let k = 1; k < 80; k++) {
      const level = 0.1 / (1 + ((pitchHz * k - formantHz) / 200) ** 2);
      for (let n = 0; n < samples.length; n++)
        samples[n] += level * sin((2 * PI * pitchHz * k * n) / rate + k * k);
    }
    return samples;
  };
  const moved = (signal: Float32Array, semitones: number) => {
    const input = new Float32Array(signal.length + 2 * timbreReach);
    input.set(signal, timbreReach);
    return moveTimbre(input, signal.length, 0, semitones, rate);
  };
  const loudestHarmonic = (signal: Float32Array) => {
    let best = 1;
    for (let k = 1; k < 80; k++)
      if (amplitudeAt(signal, pitchHz * k) > amplitudeAt(signal, pitchHz * best)) best = k;
    return pitchHz * best;
  };

  test.each([-6, -3, 4, 7])(
    'moved by %i semitones: the formant goes along, the pitch stays',
    (semitones) => {
      const made = moved(vowel(1500), semitones);
      const wanted = 1500 * 2 ** (semitones / 12);
      expect(Math.abs(loudestHarmonic(made) - wanted)).toBeLessThan(0.13 * wanted);
      // Between two harmonics there is as little as before.
      const between = amplitudeAt(made, loudestHarmonic(made) + pitchHz / 2);
      expect(20 * Math.log10(between / amplitudeAt(made, loudestHarmonic(made)))).toBeLessThan(-45);
    },
  );

  test('moved by nothing it is the take', () => {
    const signal = vowel(1200);
    const made = moved(signal, 0);
    const error = made.map((value, n) => value - signal[n]);
    expect(rms(error, 4096, 40_000) / rms(signal, 4096, 40_000)).toBeLessThan(1e-5);
  });

  test('a block is the same whenever it is made', () => {
    const signal = noise(1, rate, 8);
    const whole = moved(signal, 3);
    const start = 12_345;
    const piece = moveTimbre(
      signal.subarray(start - timbreReach, start + 5000 + timbreReach),
      5000,
      start,
      3,
      rate,
    );
    expect(piece).toEqual(whole.slice(start, start + 5000));
  });
});
