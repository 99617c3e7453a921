import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { neutralStage } from '../image/stage.ts';
import { noise, sine } from '../measurement/signals.fixture.ts';
import { curveAt } from '../moves/curve.ts';
import { jumpsOf } from '../moves/jumps.ts';
import type { Tempo } from '../moves/tempo.ts';
import { voiceTarget } from '../song/moves-of.ts';
import { blockFrames } from '../sources/blocks.ts';
import { newVoice } from '../voices/voice.ts';
import {
  differenceDb,
  memoryPlan,
  memorySong,
  renderSides,
  sharpestBend,
} from './memory.fixture.ts';
import { cycle, moved, points, rate, steps } from './moving.fixture.ts';
import { roots } from './plan.ts';
import { segmentAt, type SplicePlan } from '../voices/splices.ts';
import { wholeDelay } from './time-map.ts';
import { renderStretch } from './offline.ts';
import { steppedReading, withoutSteps } from './stepped-reading.ts';

const { abs, cos, log10, max, PI, sin } = Math;

describe('a delay that moves', () => {
  const late = {
    voices: [newVoice('v1', 'late', { delay: { value: 20, unit: 'ms' } })],
    stage: neutralStage,
  };
  const delay = voiceTarget('p0', 'v1', 'delayMs');

  test('swings round what is set: a vibrato of its closed form', async () => {
    const memory = memorySong([sine(440, -6, 4, rate)], rate, late);
    const song = moved(memory.song, [delay, cycle({ rate: { value: 2 }, depthMs: 1.5 })]);
    const { left } = await renderSides(memory, song, roots.part('p0'), 4 * rate);
    const { left: still } = await renderSides(memory, memory.song, roots.part('p0'), 4 * rate);
    const peak = still.reduce((most, value) => max(most, abs(value)), 0);
    for (let n = rate; n < 3.5 * rate; n += 37) {
      const ms = 20 + 1.5 * cos(2 * PI * 2 * (n / rate));
      const expected = peak * sin(2 * PI * 440 * (n / rate - ms / 1000));
      expect(abs(left[n] - expected)).toBeLessThan(0.004);
    }
  });

  test('what jumps goes over as fast as it may, and is where it was sent after that', async () => {
    const memory = memorySong([noise(3, rate, 3)], rate, late);
    const there = memorySong([noise(3, rate, 3)], rate, {
      voices: [newVoice('v1', 'later', { delay: { value: 50, unit: 'ms' } })],
      stage: neutralStage,
    });
    const song = moved(memory.song, [delay, points([0, 0], [1, 0], [1.001, 30])]);
    const length = 3 * rate;
    const [over, before, after] = [
      await renderSides(memory, song, roots.part('p0'), length),
      await renderSides(memory, memory.song, roots.part('p0'), length),
      await renderSides(there, there.song, roots.part('p0'), length),
    ];
    const stretch = (side: Float32Array, fromS: number, toS: number) =>
      side.subarray(fromS * rate, toS * rate);
    // What is read along a path goes through shorter filters than what stands: white noise tells them apart near half the rate.
    expect(differenceDb(stretch(over.left, 0, 0.9), stretch(before.left, 0, 0.9))).toBeLessThan(
      -40,
    );
    expect(differenceDb(stretch(over.left, 1.2, 2.9), stretch(after.left, 1.2, 2.9))).toBeLessThan(
      -40,
    );
  });

  test('goes in steps where its curve does: before each where it was, after it where it is, the pitch untouched', async () => {
    const tone = noise(3, rate, 3);
    const memory = memorySong([tone], rate, late);
    const standing = async (delayMs: number) => {
      const there = memorySong([tone], rate, {
        voices: [newVoice('v1', 'there', { delay: { value: delayMs, unit: 'ms' } })],
        stage: neutralStage,
      });
      return (await renderSides(there, there.song, roots.part('p0'), 3 * rate)).left;
    };
    const song = moved(memory.song, [delay, steps([0, 0], [1, 30], [1.5, -15], [2, 100])]);
    const { left } = await renderSides(memory, song, roots.part('p0'), 3 * rate);
    // From one fade, of 12 ms, to the next step.
    const heldAt = [
      [20, 0, 1],
      [50, 1.013, 1.5],
      [5, 1.513, 2],
      [120, 2.013, 3],
    ] as const;
    for (const [delayMs, fromS, toS] of heldAt) {
      const there = await standing(delayMs);
      const [from, to] = [Math.ceil(fromS * rate), toS * rate - 1];
      expect(differenceDb(left.subarray(from, to), there.subarray(from, to))).toBeLessThan(-40);
    }
  });

  test('steps and goes on at once, steps with a square cycle, and glides where that is too fast to fade', async () => {
    const memory = memorySong([noise(3, rate, 3)], rate, late);
    const rendered = async (curve: Parameters<typeof moved>[1][1]) =>
      (await renderSides(memory, moved(memory.song, [delay, curve]), roots.part('p0'), 2 * rate))
        .left;
    const slow = await rendered(
      cycle({ rate: { value: 2 }, depthMs: 10, shape: 'square', phasePercent: 0 }),
    );
    const asSteps = await rendered(
      steps(
        [0, 10],
        [0.25, -10],
        [0.5, 10],
        [0.75, -10],
        [1, 10],
        [1.25, -10],
        [1.5, 10],
        [1.75, -10],
      ),
    );
    expect(differenceDb(slow, asSteps)).toBeLessThan(-100);
    const sloping = await rendered({
      kind: 'points',
      points: [
        { atS: 0, by: 0, shape: 'step' },
        { atS: 0.5, by: 20, shape: 'straight' },
        { atS: 1.5, by: 30, shape: 'straight' },
      ],
    });
    const glide = await rendered(points([0.5, 20], [1.5, 30]));
    const from = 0.513 * rate;
    expect(differenceDb(sloping.subarray(from), glide.subarray(from))).toBeLessThan(-40);
    expect(
      differenceDb(sloping.subarray(0, 0.49 * rate), glide.subarray(0, 0.49 * rate)),
    ).toBeGreaterThan(-6);
  });

  test('leaves no click where it steps, tuned or not', async () => {
    const tone = sine(1000, -18, 3, rate);
    for (const cents of [0, 40, -1200]) {
      const image = {
        voices: [
          newVoice('v1', 'late', {
            delay: { value: 20, unit: 'ms' },
            tuner: { semitones: Math.trunc(cents / 100), cents: cents % 100 },
          }),
        ],
        stage: neutralStage,
      };
      const memory = memorySong([tone], rate, image);
      const song = moved(memory.song, [
        delay,
        steps([0, 0], [0.5, 0.3], [0.8, 13], [1.1, -12.7], [1.105, 55], [1.4, 0.1]),
      ]);
      const plan = await memoryPlan({ ...memory, song });
      const { left } = await renderStretch(plan, 'p0', memory.load, 0, 2 * rate);
      const steady = sharpestBend(left.subarray(rate / 4, 0.4 * rate));
      const bent = sharpestBend(left.subarray(rate / 4, 1.9 * rate));
      // A click would be 40 dB.
      expect(20 * log10(bent / steady)).toBeLessThan(1.5);
    }
  });

  test('begun in the middle of a fade it sounds as from the beginning', async () => {
    const memory = memorySong([noise(2, rate, 5, 0.2)], rate, late);
    // The fade lies across the edge of a block.
    const stepAt = blockFrames + 992;
    const from = stepAt + 288;
    const song = moved(memory.song, [delay, steps([0, 0], [stepAt / rate, 3])]);
    const plan = await memoryPlan({ ...memory, song });
    const whole = await renderStretch(plan, 'p0', memory.load, 0, rate);
    const begun = await renderStretch(plan, 'p0', memory.load, from, rate);
    const fades = whole.left.subarray(from, from + 288);
    expect(differenceDb(begun.left.subarray(0, 288), fades)).toBeLessThan(-120);
  });

  test('is as loud while it steps as before, by what is alike in both places: tones, copies and strangers', async () => {
    const fadeS = 0.012;
    const sounds = { tone: sine(250, -18, 3, rate), noise: noise(3, rate, 5, 0.2) };
    // By whole periods of the tone, by half a one, and by what makes strangers of a noise.
    for (const [what, jumpMs, dipDb] of [
      ['tone', 40, 0.3],
      ['tone', 0.5, 0.7],
      ['noise', 40, 1.5],
      ['noise', 0.01, 0.8],
    ] as const) {
      const memory = memorySong([sounds[what]], rate, late);
      const song = moved(memory.song, [delay, steps([0, 0], [1, jumpMs], [1.5, 0])]);
      const { left } = await renderSides(memory, song, roots.part('p0'), 2 * rate);
      const still = (await renderSides(memory, memory.song, roots.part('p0'), 2 * rate)).left;
      for (const atS of [1, 1.5]) {
        const [from, to] = [atS * rate, (atS + fadeS) * rate];
        const power = (samples: Float32Array) =>
          samples.subarray(from, to).reduce((sum, value) => sum + value * value, 0);
        expect(abs(10 * log10(power(left) / power(still)))).toBeLessThan(dipDb);
      }
    }
  });
});

describe('when a curve jumps', () => {
  const tempo: Tempo = [
    { atS: 0, bpm: 100, beatsPerBar: 4 },
    { atS: 3, bpm: 143, beatsPerBar: 3 },
  ];

  test.each([
    ['in Hz', cycle({ rate: { value: 3.7 }, depthMs: 5, shape: 'square', phasePercent: 30 }), null],
    [
      'in beats',
      cycle({ rate: { value: 0.75, unit: 'beats' }, depthMs: 5, shape: 'square' }),
      tempo,
    ],
    ['points', steps([0.5, 1], [1, 1], [2, 4], [6, -3]), null],
  ] as const)('it says so, and only then: %s', (_, curve, by) => {
    const jumps = jumpsOf(curve, by, 6.5, 'delayMs');
    const seen: number[] = [];
    const step = 1e-4;
    for (let n = 1; n < 6.5 / step; n++) {
      const [before, after] = [(n - 1) * step, n * step].map((s) =>
        curveAt(curve, s, by, 'delayMs'),
      );
      if (before !== after) seen.push((n - 0.5) * step);
    }
    expect(jumps).toHaveLength(seen.length);
    for (const [n, atS] of jumps.entries()) expect(abs(atS - seen[n])).toBeLessThan(step);
  });

  test('what is straight, smooth, or a sine jumps nowhere', () => {
    for (const curve of [
      points([0, 0], [1, 5]),
      cycle({ depthMs: 5 }),
      cycle({ depthMs: 0, shape: 'square' }),
    ])
      expect(jumpsOf(curve, null, 10, 'delayMs')).toEqual([]);
  });
});

describe('a reading in steps', () => {
  const anyPlan = fc
    .record({
      ratio: fc.double({ min: 0.5, max: 2, noNaN: true }),
      crossfadeFrames: fc.integer({ min: 100, max: 1500 }),
      apart: fc.array(fc.integer({ min: 0, max: 20_000 }), { maxLength: 20 }),
      places: fc.array(fc.integer({ min: -900, max: 900 }), { minLength: 20, maxLength: 20 }),
    })
    .map(({ ratio, crossfadeFrames, apart, places }) => {
      const starts = [0];
      for (const frames of apart) starts.push((starts.at(-1) as number) + crossfadeFrames + frames);
      return {
        ratio,
        crossfadeFrames,
        starts: Float64Array.from(starts),
        positions: Float64Array.from(starts, (start, n) => start + (places[n] ?? 0)),
        likeness: new Float64Array(starts.length).fill(0.9),
        usualWander: 900,
      };
    });
  const anySteps = fc
    .array(
      fc.record({
        frame: fc.integer({ min: 0, max: 150_000 }),
        later: fc.integer({ min: -4800, max: 4800 }),
      }),
      { minLength: 1, maxLength: 30 },
    )
    .map((steps) => steps.sort((a, b) => a.frame - b.frame));

  test('is at each time where the tuner is, by the step that holds then or within a crossfade of it; nothing fades into a fade', () => {
    fc.assert(
      fc.property(
        fc.option(anyPlan),
        anySteps,
        fc.double({ min: -2000, max: 6000, noNaN: true }),
        (plan, steps, delayFrames) => {
          const tuning = plan && { key: 'tuning', splices: plan };
          const first = { frame: -Infinity, later: 7 };
          const delay = { key: 'd', crossfadeFrames: 576, steps: [first, ...steps] as const };
          const stepped = steppedReading(delay, tuning, delayFrames);
          expect(steppedReading(delay, tuning, delayFrames)).toBe(stepped);
          expect(withoutSteps(stepped)).toBe(tuning);
          const { splices } = stepped;
          const { crossfadeFrames: apart, ratio } = splices;
          const place = (of: SplicePlan, time: number) => {
            const k = segmentAt(of, time);
            return of.positions[k] + ratio * (time - of.starts[k]);
          };
          const whole = wholeDelay(delayFrames);
          // Fades are read frame by frame from there.
          expect([...splices.starts].every(Number.isInteger)).toBe(true);
          for (let k = 1; k < splices.starts.length; k++)
            expect(splices.starts[k] - splices.starts[k - 1]).toBeGreaterThanOrEqual(apart - 1e-6);
          const elsewhere: number[] = [];
          for (let time = 0; time < 160_000; time += 397) {
            const by = (plan ? place(plan, time) : time) - place(splices, time);
            const held = [first, ...steps].filter(({ frame }, n, all) => {
              const next = all.at(n + 1)?.frame ?? Infinity;
              return frame - whole <= time + 2 * apart && next - whole >= time - 2 * apart;
            });
            if (!held.some(({ later }) => abs(later - by) < 1e-4)) elsewhere.push(time);
          }
          expect(elsewhere).toEqual([]);
        },
      ),
    );
  });
});
