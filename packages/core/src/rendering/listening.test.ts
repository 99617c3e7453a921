import { describe, expect, test } from '@jest/globals';
import { noise, rms, sine } from '../measurement/signals.fixture.ts';
import { Ears, farEarLaterSeconds, listenings, type Listening } from './listening.ts';
import { quantumFrames } from './quantum.ts';

const { abs, max, log10 } = Math;
const rate = 48_000;

/** What is heard of two sides, the mode having been there from the start. */
function heard(listening: Listening, left: Float32Array, right: Float32Array) {
  const ears = new Ears(rate);
  ears.aim(listening);
  ears.settle();
  const [l, r] = [left.slice(), right.slice()];
  for (let at = 0; at + quantumFrames <= l.length; at += quantumFrames)
    ears.process(l.subarray(at, at + quantumFrames), r.subarray(at, at + quantumFrames));
  const whole = Math.floor(l.length / quantumFrames) * quantumFrames;
  return [l.subarray(0, whole), r.subarray(0, whole)] as const;
}

const a = noise(1, rate, 1);
const b = noise(1, rate, 2);
const silent = new Float32Array(rate);
const gainDb = (samples: Float32Array, of: Float32Array) =>
  20 * log10(rms(samples, 4800, samples.length) / rms(of, 4800, samples.length));

describe('listening', () => {
  test.each<[Listening, (l: number, r: number) => [number, number]]>([
    ['stereo', (l, r) => [l, r]],
    ['swapped', (l, r) => [r, l]],
    ['fold', (l, r) => [(l + r) / 2, (l + r) / 2]],
    ['difference', (l, r) => [(l - r) / 2, (l - r) / 2]],
    ['left', (l) => [l, 0]],
    ['right', (_, r) => [0, r]],
  ])('%s', (listening, expected) => {
    const [left, right] = heard(listening, a, b);
    let worst = 0;
    for (let n = 0; n < left.length; n++) {
      const [l, r] = expected(a[n], b[n]);
      worst = max(worst, abs(left[n] - l), abs(right[n] - r));
    }
    expect(worst).toBeLessThan(1e-7);
  });

  test('a phone plays the fold on both sides, without lows: 24 dB down an octave under its corner', () => {
    const at = (hz: number) => {
      const tone = sine(hz, -12, 1, rate);
      const [left, right] = heard('phone', tone, tone);
      expect(max(...left.map((value, n) => abs(value - right[n])).slice(0, 500))).toBe(0);
      return gainDb(left, tone);
    };
    expect(abs(at(200) + 24)).toBeLessThan(1);
    expect(abs(at(1000))).toBeLessThan(2);
    const [opposite] = heard(
      'phone',
      a,
      a.map((value) => -value),
    );
    expect(rms(opposite)).toBe(0);
  });

  test('headphones: the far ear hears a side later by the way round the head, and duller', () => {
    // 262 µs for speakers at ±30°, a head of 87.5 mm: (a/c)(π/6 + sin 30°).
    expect(farEarLaterSeconds * 1e6).toBeCloseTo(261.1, 0);
    const click = new Float32Array(2048);
    click[500] = 1;
    const [near, far] = heard('headphones', click, new Float32Array(2048));
    const centre = (samples: Float32Array) => {
      let [sum, moment] = [0, 0];
      for (let n = 0; n < samples.length; n++) {
        sum += samples[n];
        moment += samples[n] * n;
      }
      return moment / sum;
    };
    // At low frequencies the filters add their own delay: (1 − α)/β of each.
    const beta = (2 * 343) / 0.0875;
    const own = (alpha: number) => ((1 - alpha) / beta) * rate;
    const apart = centre(far) - centre(near) - (own(0.2814) - own(1.3436));
    expect(apart / rate).toBeCloseTo(farEarLaterSeconds, 5);
    const tone = (hz: number) => {
      const [l, r] = heard('headphones', sine(hz, -12, 1, rate), silent);
      return gainDb(r, l);
    };
    expect(abs(tone(60))).toBeLessThan(0.2);
    // α is 1.34 towards the near speaker and 0.28 in the shadow: 13.6 dB at the top.
    expect(abs(tone(16_000) + 13.6)).toBeLessThan(1);
  });

  test('headphones leave a low middle as loud as it was', () => {
    const low = sine(80, -12, 1, rate);
    expect(abs(gainDb(heard('headphones', low, low)[0], low))).toBeLessThan(0.1);
  });

  test.each(listenings.map((listening) => [listening]))('going over to %s does not click', (to) => {
    const tone = sine(1000, -12, 1, rate);
    const ears = new Ears(rate);
    const l = tone.slice();
    const r = tone.slice();
    for (let at = 0; at + quantumFrames <= l.length; at += quantumFrames) {
      if (at === 100 * quantumFrames) ears.aim(to);
      if (at === 200 * quantumFrames) ears.aim('stereo');
      ears.process(l.subarray(at, at + quantumFrames), r.subarray(at, at + quantumFrames));
    }
    // Second differences of a 1 kHz sine at −12 dB are under 0.0044; a click stands far out of them.
    let roughest = 0;
    for (let n = 2; n < 360 * quantumFrames; n++)
      roughest = max(roughest, abs(l[n] - 2 * l[n - 1] + l[n - 2]));
    expect(roughest).toBeLessThan(0.009);
  });
});
