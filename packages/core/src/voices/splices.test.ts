import { describe, expect, test } from '@jest/globals';
import type { Image } from '../image/image.ts';
import { neutralStage } from '../image/stage.ts';
import { noise, sine } from '../measurement/signals.fixture.ts';
import { renderImage } from '../rendering/memory.fixture.ts';
import { newVoice, splicedKinds, type SplicedKind } from './voice.ts';
import { lagTableFor, planSplices } from './splice-planning.ts';
import { longestReadMs, longestWanderMs } from './splice-styles.ts';
import { segmentAt, splicedRead, splicedWander } from './splices.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { sin, cos, atan2, hypot, round, exp, sqrt, log2, log10, max, min, abs, PI } = Math;

const rate = 48_000;

function tuned(cents: number): Image {
  return {
    voices: [
      newVoice('v1', 'left', {
        placement: { kind: 'pan', panPercent: -100 },
        tuner: { cents },
      }),
    ],
    stage: neutralStage,
  };
}

/** Frequency by the phase that a demodulated tone gains from the first to the last tenth; amplitude per 10 ms. */
function analyse(samples: Float32Array, hz: number) {
  const hop = 480;
  const phases: number[] = [];
  const sizes: number[] = [];
  for (let from = rate / 2; from + 2 * hop < samples.length - rate / 2; from += hop) {
    let re = 0;
    let im = 0;
    for (let n = from; n < from + 2 * hop; n++) {
      const window = 0.5 - 0.5 * cos((2 * PI * (n - from)) / (2 * hop));
      re += window * samples[n] * cos((2 * PI * hz * n) / rate);
      im -= window * samples[n] * sin((2 * PI * hz * n) / rate);
    }
    phases.push(atan2(im, re));
    sizes.push(hypot(re, im));
  }
  let turned = 0;
  for (let n = 1; n < phases.length; n++) {
    let step = phases[n] - phases[n - 1];
    step -= 2 * PI * round(step / (2 * PI));
    turned += step;
  }
  const offsetHz = (turned / (2 * PI) / ((phases.length - 1) * hop)) * rate;
  return {
    centsOff: 1200 * log2((hz + offsetHz) / hz),
    rippleDb: 20 * log10(max(...sizes) / min(...sizes)),
  };
}

describe('a sine through the single-line tuner', () => {
  test.each(
    [110, 440, 1000, 5000, 10_000].flatMap((hz) => [-50, -7, 5, 7, 50].map((cents) => [hz, cents])),
  )('%i Hz by %i cents: within 0.1 cent, ripple under 0.1 dB', async (hz, cents) => {
    const { left } = await renderImage(sine(hz, -6, 12, rate), tuned(cents));
    const { centsOff, rippleDb } = analyse(left, hz * 2 ** (cents / 1200));
    expect(abs(centsOff)).toBeLessThan(0.1);
    // A beat that is heard is 0.5 dB and more: common practice.
    expect(rippleDb).toBeLessThan(0.1);
  });
});

test('a low tone finds its longer jump: 41.2 Hz by 10 cents', async () => {
  const { left } = await renderImage(sine(41.2, -6, 20, rate), tuned(10));
  expect(abs(analyse(left, 41.2 * 2 ** (10 / 1200)).centsOff)).toBeLessThan(0.3);
});

test.each([-50, 12, 50])(
  '%i cents: the voice stays near its place over two minutes',
  async (cents) => {
    const take = noise(2, rate, 3);
    const frames = 120 * rate;
    const plan = await planSplices({
      kind: 'single',
      ratio: 2 ** (cents / 1200),
      rateHz: rate,
      frames,
      read: (start, count) => {
        const piece = new Float32Array(count);
        for (let n = 0; n < count; n++)
          piece[n] = take[(((start + n) % take.length) + take.length) % take.length];
        return Promise.resolve(piece);
      },
    });
    expect(plan.starts.length).toBeGreaterThan(20);
    expect(splicedWander(plan, frames)).toBeLessThan((40 * rate) / 1000);
    for (let k = 1; k < plan.starts.length; k++)
      expect(plan.starts[k] - plan.starts[k - 1]).toBeGreaterThanOrEqual(plan.crossfadeFrames);
  },
);

test('no tuning needs no splices, and silence can be tuned', async () => {
  const read = (_: number, count: number) => Promise.resolve(new Float32Array(count));
  const still = await planSplices({ kind: 'single', ratio: 1, rateHz: rate, frames: rate, read });
  expect([...still.starts]).toEqual([0]);
  const silent = await planSplices({
    kind: 'single',
    ratio: 1.004,
    rateHz: rate,
    frames: 20 * rate,
    read,
  });
  expect([...silent.likeness].every((value) => value === 1)).toBe(true);
});

describe('each kind over three minutes', () => {
  const frames = 180 * rate;
  /** A loop of ten seconds, so that three minutes need not lie in memory. */
  const loop = noise(10, rate, 77);
  const read = (start: number, count: number) => {
    const piece = new Float32Array(count);
    for (let n = 0; n < count; n++) {
      const at = start + n;
      piece[n] = at >= 0 && at < frames ? loop[at % loop.length] : 0;
    }
    return Promise.resolve(piece);
  };

  test.each(splicedKinds)('%s: the voice stays near its place', async (kind) => {
    const ratio = 2 ** (30 / 1200);
    const plan = await planSplices({ kind, ratio, rateHz: rate, frames, read });
    const last = plan.starts.length - 1;
    expect(plan.starts[last]).toBeGreaterThan(frames - rate);
    // Doubles stay in time: within 8 ms for nearly all of what sounds, and never beyond 20.
    expect(plan.usualWander).toBeLessThanOrEqual(0.008 * rate);
    expect(splicedWander(plan, frames)).toBeLessThanOrEqual(0.021 * rate);
  });
});

describe('whatever the source and the tuning', () => {
  const seconds = 4;
  const frames = seconds * rate;
  const gaps = noise(seconds, rate, 5).map((value, n) => (n % rate < rate / 3 ? value : 0));
  const sources: readonly (readonly [string, Float32Array])[] = [
    ['silence', new Float32Array(frames)],
    ['noise', noise(seconds, rate, 6)],
    ['noise with gaps', gaps],
    ['20 Hz', sine(20, -6, seconds, rate)],
    ['one click', new Float32Array(frames).fill(1, frames / 2, frames / 2 + 1)],
  ];
  test.each(
    sources.flatMap(([name, samples]) => splicedKinds.map((kind) => ({ name, samples, kind }))),
  )(
    '$name, $kind: no splice overlaps another, none is farther away than may be read',
    async ({ samples, kind }) => {
      const read = (start: number, count: number) =>
        Promise.resolve(Float32Array.from({ length: count }, (_, n) => samples[start + n] ?? 0));
      for (const cents of [-1200, -50, 10, 1200]) {
        const ratio = 2 ** (cents / 1200);
        const plan = await planSplices({ kind, ratio, rateHz: rate, frames, read });
        expect(splicedWander(plan, frames)).toBeLessThan((longestWanderMs * rate) / 1000);
        // Line by line, as they are read: each until the next one has faded in.
        let farthest = 0;
        for (let k = 0; k < plan.starts.length; k++) {
          const end =
            k + 1 < plan.starts.length ? plan.starts[k + 1] + plan.crossfadeFrames : frames;
          for (const time of [plan.starts[k], end])
            farthest = max(
              farthest,
              abs(plan.positions[k] + ratio * (time - plan.starts[k]) - time),
            );
        }
        expect(splicedRead(plan, frames)).toBeCloseTo(farthest, 6);
        expect(farthest).toBeLessThanOrEqual((longestReadMs * rate) / 1000);
        for (let k = 1; k < plan.starts.length; k++)
          expect(plan.starts[k] - plan.starts[k - 1]).toBeGreaterThanOrEqual(plan.crossfadeFrames);
        expect([...plan.likeness].every((value) => value >= 0 && value <= 1)).toBe(true);
      }
    },
  );

  test('a table that was made for one tuning serves the next one, and changes nothing', async () => {
    const samples = noise(4, rate, 9);
    const read = (start: number, count: number) =>
      Promise.resolve(Float32Array.from({ length: count }, (_, n) => samples[start + n] ?? 0));
    const table = lagTableFor('struck', 1, rate);
    const request = { kind: 'struck', rateHz: rate, frames: samples.length, read } as const;
    await planSplices({ ...request, ratio: 1.01, table });
    const again = await planSplices({ ...request, ratio: 1.004, table });
    expect(again).toEqual(await planSplices({ ...request, ratio: 1.004 }));
  });
});

describe('strikes', () => {
  const strikes = new Float32Array(8 * rate);
  const tail = noise(0.25, rate, 12, 0.4);
  const places: number[] = [];
  for (let at = rate / 4; at < strikes.length - rate / 2; at += round(0.23 * rate)) {
    places.push(at);
    for (let n = 0; n < tail.length; n++) strikes[at + n] += tail[n] * exp(-n / (0.03 * rate));
  }
  const planned = (kind: SplicedKind) =>
    planSplices({
      kind,
      ratio: 2 ** (45 / 1200),
      rateHz: rate,
      frames: strikes.length,
      read: (start, count) =>
        Promise.resolve(Float32Array.from({ length: count }, (_, n) => strikes[start + n] ?? 0)),
    });

  test('splices of struck sounds keep away from them', async () => {
    const plan = await planned('struck');
    let hit = 0;
    for (const start of plan.starts.subarray(1))
      if (places.some((at) => at >= start - 48 && at <= start + plan.crossfadeFrames)) hit++;
    expect(plan.starts.length).toBeGreaterThan(10);
    // By chance some 5 % would be hit, and the strikes' own jumps as often.
    expect(hit / (plan.starts.length - 1)).toBeLessThan(0.04);
  });

  test.each(splicedKinds)(
    '%s: they are heard nearer to their time than what rings after them',
    async (kind) => {
      const plan = await planned(kind);
      const away = (time: number) => {
        const k = segmentAt(plan, time);
        return plan.positions[k] + plan.ratio * (time - plan.starts[k]) - time;
      };
      const usual = (times: readonly number[]) =>
        sqrt(times.reduce((sum, time) => sum + away(time) ** 2, 0) / times.length);
      const at = usual(places);
      const between = usual(places.map((place) => place + 0.1 * rate));
      expect(at).toBeLessThan(0.7 * between);
    },
  );
});
