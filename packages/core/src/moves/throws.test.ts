import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { newVoice } from '../voices/voice.ts';
import { neutralStage } from '../image/stage.ts';
import { sine } from '../measurement/signals.fixture.ts';
import { compile } from '../rendering/compile.ts';
import { memorySong } from '../rendering/memory.fixture.ts';
import { renderPart } from '../rendering/offline.ts';
import { apply } from '../song/commands.ts';
import { partTarget } from '../song/moves-of.ts';
import type { Curve } from './curve.ts';
import { curveAt, curveDescription } from './curve.ts';
import { barsAt, secondsAtBar, tempoDescription } from './tempo.ts';
import { snapped, withThrow } from './throws.ts';

const rate = 48_000;
const open = (curve: Curve, seconds: number) => curveAt(curve, seconds, null) > -1;

describe('a throw', () => {
  test('is open in its stretch and closed elsewhere; a second one leaves the first', () => {
    const one = withThrow(null, { fromS: 2, toS: 3, fadeS: 0.01 });
    expect([0, 1.98, 2, 2.5, 3, 3.02, 99].map((at) => open(one, at))).toEqual(
      [false, false, true, true].concat([true, false, false]),
    );
    const two = withThrow(one, { fromS: 5, toS: 6, fadeS: 0 });
    expect([2.5, 4, 5.5, 7].map((at) => open(two, at))).toEqual([true, false, true, false]);
  });

  test('that runs into another is one with it', () => {
    const one = withThrow(null, { fromS: 2, toS: 4, fadeS: 0.01 });
    for (const [fromS, toS] of [
      [3, 6],
      [1, 3],
      [1, 6],
    ]) {
      const both = withThrow(one, { fromS, toS, fadeS: 0.01 });
      for (let at = Math.min(2, fromS); at <= Math.max(4, toS); at += 0.05)
        expect(open(both, at)).toBe(true);
      expect([0.5, 6.5].map((at) => open(both, at))).toEqual([false, false]);
    }
  });

  test('whatever throws there are, the curve is one that a song may have, open where they are', () => {
    const anyThrow = fc.record({
      fromS: fc.double({ min: 0, max: 60, noNaN: true }),
      long: fc.double({ min: 0.05, max: 20, noNaN: true }),
      fadeS: fc.double({ min: 0, max: 2, noNaN: true }),
    });
    fc.assert(
      fc.property(fc.array(anyThrow, { minLength: 1, maxLength: 8 }), (throws) => {
        let curve: Curve | null = null;
        for (const { fromS, long, fadeS } of throws)
          curve = withThrow(curve, { fromS, toS: fromS + long, fadeS });
        expect(curveDescription.safeParse(curve).success).toBe(true);
        const last = throws[throws.length - 1];
        for (const share of [0.01, 0.5, 0.99])
          expect(open(curve as Curve, last.fromS + share * last.long)).toBe(true);
      }),
      { numRuns: 100 },
    );
  });

  test('snaps to eighths and sixteenths of the bar, through changes of tempo', () => {
    const tempo = tempoDescription.parse([
      { atS: 0, bpm: 120 },
      { atS: 4, bpm: 60 },
    ]);
    const snap = (seconds: number, parts: number) =>
      snapped(
        seconds,
        parts,
        (at) => barsAt(tempo, at),
        (bars) => secondsAtBar(tempo, bars),
      );
    expect([0.13, 1.4, 5.2].map((at) => snap(at, 8))).toEqual([0.25, 1.5, 5]);
    expect([0.13, 1.4, 5.2].map((at) => snap(at, 16))).toEqual([0.125, 1.375, 5.25]);
  });

  test('of the flanks: wide in the stretch, the middle alone outside, with no click', async () => {
    const tone = sine(1000, -12, 4, rate);
    const memory = memorySong([tone], rate, {
      voices: [
        newVoice('v1', 'middle'),
        newVoice('v2', 'left', { placement: { kind: 'pan', panPercent: -100 } }),
      ],
      stage: neutralStage,
    });
    const curve = withThrow(null, { fromS: 1, toS: 2, fadeS: 0.005 });
    const outcome = apply(memory.song, {
      id: 'c',
      name: 'throw',
      role: 'do',
      edits: [
        {
          kind: 'set-moves',
          moves: [{ id: 'm', target: partTarget('p0', 'flanksDb'), curve }],
        },
      ],
    });
    if (!outcome.ok) throw new Error(outcome.error.sentence);
    const render = async (song: typeof memory.song) => {
      const left: number[] = [];
      const right: number[] = [];
      const plan = compile(song, new Map());
      for await (const block of renderPart(plan, 'p0', memory.load, 0, 3 * rate)) {
        left.push(...block.left);
        right.push(...block.right);
      }
      return { left, right };
    };
    const [thrown, whole] = [await render(outcome.value.song), await render(memory.song)];
    // Outside both sides are alike, inside it is what it is without a throw.
    for (let n = 0; n < 0.99 * rate; n += 97)
      expect(thrown.left[n]).toBeCloseTo(thrown.right[n], 5);
    for (let n = 1.01 * rate; n < 2 * rate; n += 97)
      expect(thrown.left[n]).toBeCloseTo(whole.left[n], 6);
    for (let n = 2.02 * rate; n < 3 * rate; n += 97)
      expect(thrown.left[n]).toBeCloseTo(thrown.right[n], 5);
    const bend = (from: number, to: number) => {
      let most = 0;
      for (let n = from; n < to; n++)
        most = Math.max(
          most,
          Math.abs(thrown.left[n] - 2 * thrown.left[n - 1] + thrown.left[n - 2]),
        );
      return most;
    };
    expect(bend(10, 3 * rate)).toBeLessThan(1.12 * bend(1.2 * rate, 1.8 * rate));
  });
});
