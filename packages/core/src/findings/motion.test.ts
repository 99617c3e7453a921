import { describe, expect, test } from '@jest/globals';
import { neutralStage } from '../image/stage.ts';
import { noise } from '../measurement/signals.fixture.ts';
import { curveDescription, type Curve } from '../moves/curve.ts';
import { memoryPlan, memorySong } from '../rendering/memory.fixture.ts';
import { renderStretch } from '../rendering/offline.ts';
import { partTarget, voiceTarget } from '../song/moves-of.ts';
import type { Song } from '../song/song.ts';
import { newVoice } from '../voices/voice.ts';
import { measureMotion } from './motion.ts';
import { motionMends, withMotion, type MovedOtherwise } from './motion-mends.ts';
import { missingInFold } from './part-findings.ts';

const rate = 48_000;
const { log10 } = Math;

const pan = (panPercent: number) => ({ placement: { kind: 'pan', panPercent } as const });
const pair = {
  voices: [newVoice('a', 'left', pan(-100)), newVoice('b', 'right', pan(100))],
  stage: neutralStage,
};
const alone = { voices: [newVoice('a', 'middle')], stage: neutralStage };
const cycle = (values: object): Curve =>
  curveDescription.parse({ kind: 'cycle', rate: { value: 2 }, ...values });
const level = (id: string, values: object): MovedOtherwise => ({
  target: voiceTarget('p0', id, 'levelDb'),
  curve: cycle(values),
});
const all = (values: object): MovedOtherwise => ({
  target: partTarget('p0', 'levelDb'),
  curve: cycle(values),
});

/** A sound that comes and goes by itself, as played ones do. */
const played = (() => {
  const sound = noise(6, rate, 11);
  return sound.map((value, n) => value * Math.exp(-((n % 17_011) / 9000)));
})();

async function motionOf(image: typeof pair, moves: readonly MovedOtherwise[], changes = {}) {
  const memory = memorySong([played], rate, image);
  const song: Song = { ...withMotion(memory.song, moves), ...changes };
  const plan = await memoryPlan({ song, load: memory.load });
  const moved = await renderStretch(plan, 'p0', memory.load, 0, played.length);
  return { song, motion: await measureMotion(plan, 'p0', memory.load, moved, 0) };
}

describe('how deep a motion is', () => {
  test('a tremolo of all of it: as deep in both sides and in the fold as it is set', async () => {
    const { motion } = await motionOf(pair, [all({ depthDb: 12 })]);
    expect(motion?.rateHz).toBeCloseTo(2, 6);
    // Places of a thirty-second of a cycle even out its ends.
    expect(motion?.sidesDb).toBeGreaterThan(11.7);
    expect(motion?.sidesDb).toBeLessThan(12.01);
    expect(motion?.foldDb).toBeCloseTo(motion?.sidesDb ?? 0, 3);
  });

  test('sides against each other: the fold moves by what their closed form says', async () => {
    const { motion } = await motionOf(pair, [
      level('a', { depthDb: 12 }),
      level('b', { depthDb: 12, phasePercent: 50 }),
    ]);
    // Both ends of a cycle: (1 + 10^(−12/20))/2; between them 10^(−6/20).
    const closed = 20 * log10((1 + 10 ** (-12 / 20)) / 2 / 10 ** (-6 / 20));
    expect(motion?.sidesDb).toBeGreaterThan(11.7);
    expect(Math.abs((motion?.foldDb ?? 0) - closed)).toBeLessThan(0.15);
    // And at each place of the cycle, which begins where nothing is taken from the first.
    const down = (turned: number) => -6 * (1 - Math.cos(2 * Math.PI * turned));
    const { left = [], right = [], fold = [] } = motion?.overCycle ?? {};
    expect(left).toHaveLength(32);
    for (const [n, level] of left.entries()) {
      const [first, second] = [down((n + 0.5) / 32), down((n + 0.5) / 32 + 0.5)];
      const both = 20 * log10((10 ** (first / 20) + 10 ** (second / 20)) / 2);
      expect(Math.abs((level ?? 0) - first)).toBeLessThan(0.35);
      expect(Math.abs((right[n] ?? 0) - second)).toBeLessThan(0.35);
      expect(Math.abs((fold[n] ?? 0) - both)).toBeLessThan(0.2);
    }
  });

  test('a place that swings all the way: 3 dB of the fold under the law of −3 dB, none under that of −6', async () => {
    const swing: MovedOtherwise = {
      target: voiceTarget('p0', 'a', 'panPercent'),
      curve: cycle({ depthPercent: 100 }),
    };
    const { motion } = await motionOf(alone, [swing]);
    expect(motion?.sidesDb).toBeGreaterThan(20);
    expect(Math.abs((motion?.foldDb ?? 0) - 3.01)).toBeLessThan(0.2);
    const even = await motionOf(alone, [swing], { panLaw: '-6' });
    expect(even.motion?.foldDb).toBeLessThan(0.01);
  });

  test('in beats of a tempo, it is told in Hz', async () => {
    const { motion } = await motionOf(
      pair,
      [all({ depthDb: 6, rate: { value: 0.5, unit: 'beats' } })],
      { tempo: [{ atS: 0, bpm: 90, beatsPerBar: 4 }] },
    );
    expect(motion?.rateHz).toBeCloseTo(3, 6);
    expect(motion?.sidesDb).toBeGreaterThan(5.8);
  });

  test('nothing that goes to and fro, or that does not come round: no figure', async () => {
    expect((await motionOf(pair, [])).motion).toBeNull();
    expect((await motionOf(pair, [all({ rate: { value: 0.1 } })])).motion).toBeNull();
  });
});

describe('what makes the fold hear it', () => {
  test.each<[string, typeof pair, readonly MovedOtherwise[]]>([
    ['levels against each other', pair, [level('a', {}), level('b', { phasePercent: 50 })]],
    [
      'deep ones',
      pair,
      [level('a', { depthDb: 40 }), level('b', { depthDb: 40, phasePercent: 50 })],
    ],
    [
      'a place',
      alone,
      [{ target: voiceTarget('p0', 'a', 'panPercent'), curve: cycle({ depthPercent: 60 }) }],
    ],
    [
      'squares',
      pair,
      [
        level('a', { shape: 'square', depthDb: 9 }),
        level('b', { shape: 'square', depthDb: 9, phasePercent: 50 }),
      ],
    ],
  ])(
    '%s: one of the mends gives it half of the depth',
    async (_, image, moves) => {
      const { song, motion } = await motionOf(image, moves);
      expect(motion && missingInFold(motion)).toBeGreaterThan(0.5);
      const mends = motionMends(song, song.parts.p0);
      const missing: number[] = [];
      for (const mend of mends) {
        const after = await motionOf(image, [...moves, ...mend.moves]);
        missing.push(after.motion ? missingInFold(after.motion) : Infinity);
        if (missing[missing.length - 1] === 0) break;
      }
      expect(missing[missing.length - 1]).toBe(0);
    },
    120_000,
  );
});
