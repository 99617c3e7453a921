import { describe, expect, test } from '@jest/globals';
import { seededRandom } from '../signal/random.ts';
import { findHum } from './hum.ts';
import { lowEnd } from './spectra.ts';

const { cos, exp, floor, PI, round, sin } = Math;

const rate = 48_000;

/** Blows on something low, each with its own pitch and decay, the next before the last has died: nothing rests. */
function dense(seconds: number, seed: number): Float32Array {
  const random = seededRandom(seed);
  const out = new Float32Array(seconds * rate);
  for (let at = 0; at < out.length; at += round((0.1 + 0.1 * random()) * rate)) {
    const [hz, fall, level] = [40 + 300 * random(), 0.05 + 0.3 * random(), 0.05 + 0.1 * random()];
    const last = Math.min(out.length, at + rate);
    for (let n = at; n < last; n++) {
      const t = (n - at) / rate;
      out[n] += level * exp(-t / fall) * (sin(2 * PI * hz * t) + 0.3 * (2 * random() - 1));
    }
  }
  return out;
}

/** The mains and its first multiples, the strongest at −48 dBFS. */
const hummed = (take: Float32Array, hz: number) =>
  take.map((value, n) => {
    const turn = (2 * PI * hz * n) / rate;
    return value + 0.004 * (sin(turn) + 0.7 * sin(2 * turn) + 0.5 * sin(3 * turn));
  });

/** One blow again and again, to the frame. */
function programmed(hz: number, seconds: number, wave: (t: number) => number): Float32Array {
  return Float32Array.from({ length: seconds * rate }, (_, n) =>
    wave((((n / rate) * hz) % 1) / hz),
  );
}

function hum(left: Float32Array, right = left, rateHz = rate) {
  const low = lowEnd(left, right, rateHz);
  return findHum(low.left, low.right, low.rateHz);
}

describe('hum', () => {
  test('looking for it can be stopped at any step, and so can what is low before it', () => {
    const take = dense(4, 1);
    const low = lowEnd(take, take, rate);
    for (const steps of [1, 5, 12]) {
      let left = steps;
      const tick = () => {
        if (--left === 0) throw new Error('stopped');
      };
      expect(() => findHum(low.left, low.right, low.rateHz, tick)).toThrow('stopped');
    }
    const stop = () => {
      throw new Error('stopped');
    };
    expect(() => lowEnd(take, take, rate, stop)).toThrow('stopped');
  });

  test('is found where nothing rests, at either mains, on either side, of any phase, and in a double of it', () => {
    for (const seed of [1, 2]) {
      const take = dense(8, seed);
      expect(hum(take)).toBeNull();
      const power = take.reduce((sum, value) => sum + value * value, 0) / take.length;
      for (const mains of [50, 60, 49.95, 60.05]) {
        const found = hum(hummed(take, mains));
        expect(found?.hz).toBe(round(mains));
        // A sine of −48 dBFS against what is low.
        expect(found?.levelDb).toBeGreaterThan(10 * Math.log10(8e-6 / power) - 3);
        expect(found?.levelDb).toBeLessThan(10 * Math.log10(8e-6 / power) + 5);
        expect(hum(take, hummed(take, mains))?.hz).toBe(round(mains));
        const turned = hummed(new Float32Array(take.length), mains).map((value) => -value);
        expect(
          hum(
            hummed(take, mains),
            take.map((value, n) => value + turned[n]),
          )?.hz,
        ).toBe(round(mains));
        expect(hum(hummed(take, mains * 2 ** (8 / 1200)))?.hz).toBe(round(mains));
      }
    }
  });

  test('is the more sure the longer it stands', () => {
    const soft = (seconds: number) => {
      const [take, plain] = [dense(seconds, 9), new Float32Array(seconds * rate)];
      const added = hummed(plain, 50);
      return hum(take.map((value, n) => value + 0.25 * added[n]));
    };
    expect(soft(5)).toBeNull();
    expect(soft(40)?.hz).toBe(50);
  });

  test('is not what is programmed: at 125 beats a minute sixteenths have lines at 50, 100 and 150 Hz', () => {
    const kick = (t: number) => exp(-t / 0.06) * sin(2 * PI * 55 * t + 3 * exp(-t / 0.01));
    const bass = (t: number) =>
      exp(-t / 0.2) * [1, 2, 3, 4, 5].reduce((sum, k) => sum + sin(2 * PI * 48.999 * k * t) / k, 0);
    const click = (t: number) => exp(-t / 0.002) * cos(2 * PI * 900 * t);
    for (const wave of [kick, bass, click])
      // Sixteenths, eighths and beats at 125, at 120, at 100 and at 150.
      for (const hz of [25 / 3, 25 / 6, 25 / 12, 8, 4, 2, 20 / 3, 10 / 3, 10, 5])
        expect([hz, hum(programmed(hz, 6, wave))]).toEqual([hz, null]);
  });

  test('is no note, however long it is held beside the mains, and nothing that comes and goes', () => {
    const held = (hz: number, envelope: (t: number) => number) =>
      Float32Array.from({ length: 12 * rate }, (_, n) => {
        const t = n / rate;
        const tone = [1, 2, 3, 4, 5, 6].reduce((sum, k) => sum + sin(2 * PI * hz * k * t) / k, 0);
        return 0.1 * envelope(t) * tone;
      });
    // G1, G sharp, A sharp and B of equal temperament from 440 Hz (ISO 16).
    for (const hz of [48.999, 51.913, 58.27, 61.735]) {
      expect(hum(held(hz, () => 1))).toBeNull();
      expect(hum(held(hz, (t) => exp(-t)))).toBeNull();
    }
    // A note that is out of tune, and lies on it, for one of four seconds.
    const long = held(50, (t) => (floor(t) % 4 === 0 ? 1 : 0));
    const four = Float32Array.from({ length: 4 * long.length }, (_, n) => long[n % long.length]);
    expect(hum(four)).toBeNull();
  });

  test('needs three seconds; of silence and of noise there is none', () => {
    expect(hum(hummed(new Float32Array(2 * rate), 50))).toBeNull();
    expect(hum(hummed(new Float32Array(4 * rate), 50))?.hz).toBe(50);
    expect(hum(new Float32Array(8 * rate))).toBeNull();
    expect(hum(new Float32Array(0))).toBeNull();
    // Nothing but a click at one end, on one side or both, however soft.
    for (const at of [0, 8 * rate - 1])
      for (const value of [1, 1e-20, 1e-38]) {
        const click = new Float32Array(8 * rate);
        click[at] = value;
        expect(hum(click)).toBeNull();
        expect(hum(new Float32Array(8 * rate), click)).toBeNull();
      }
    for (let seed = 1; seed <= 30; seed++) {
      const random = seededRandom(seed);
      const noise = () => Float32Array.from({ length: 4 * rate }, () => 0.2 * (2 * random() - 1));
      expect(hum(noise(), noise())).toBeNull();
    }
  });

  test('reads the same at every rate', () => {
    const take = hummed(dense(8, 3), 50);
    const twice = Float32Array.from({ length: 2 * take.length }, (_, n) =>
      n % 2 === 0 ? take[n >> 1] : (take[n >> 1] + (take[(n >> 1) + 1] ?? 0)) / 2,
    );
    const [one, two] = [hum(take), hum(twice, twice, 2 * rate)];
    expect(two?.hz).toBe(50);
    expect(two?.levelDb).toBeCloseTo(one?.levelDb ?? 0, 0);
  });
});
