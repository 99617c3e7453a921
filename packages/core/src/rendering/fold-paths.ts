import type { FoldPath } from '../measurement/comb.ts';
import { powerToDb } from '../quantities/units.ts';
import type { PartPlan } from './plan.ts';

/**
 * The paths of a part's first take into its fold, relative to the plain take: what the comb is computed from before
 * it is heard. Voices that play other takes are left out, since they do not comb with it.
 */
export function foldPaths(part: PartPlan, rateHz: number): FoldPath[] {
  const { ll, lr, rl, rr } = part.stage;
  const plain = (part.plain.left + part.plain.right) * part.plain.level;
  return part.voices
    .filter((voice) => voice.source.key === part.plain.source.key)
    .map((voice) => ({
      gain: ((ll + rl) * voice.left + (lr + rr) * voice.right) / plain,
      delaySeconds: voice.delayFrames / rateHz,
      coherent: voice.tuning === null,
    }))
    .filter((path) => Math.abs(path.gain) > 1e-6);
}

/** Voices this far under the loudest of a side do not decide when the side speaks. */
const speaksWithin = 10 ** (-10 / 20);

/** By how many ms L speaks before R, from the plan; null where a side says nothing. */
export function planLeadMs(part: PartPlan, rateHz: number): number | null {
  const arrival = (side: 'left' | 'right') => {
    const loudest = Math.max(0, ...part.voices.map((voice) => Math.abs(voice[side])));
    if (loudest === 0) return null;
    const speaking = part.voices.filter((voice) => Math.abs(voice[side]) >= loudest * speaksWithin);
    return Math.min(...speaking.map((voice) => voice.delayFrames));
  };
  const left = arrival('left');
  const right = arrival('right');
  return left === null || right === null ? null : ((right - left) * 1000) / rateHz;
}

/**
 * What the fold loses at one frequency against the power of the sides, from the plan alone, in dB: 0 where both sides
 * agree, −60 at the bottom of a notch. Tuned voices count by their power, since they drift against the others.
 */
export function predictedLossDb(part: PartPlan, rateHz: number, frequencyHz: number): number {
  const { ll, lr, rl, rr } = part.stage;
  const left = new ComplexSum();
  const right = new ComplexSum();
  const fold = new ComplexSum();
  for (const voice of part.voices) {
    const l = ll * voice.left + lr * voice.right;
    const r = rl * voice.left + rr * voice.right;
    const angle =
      voice.tuning === null ? (-2 * Math.PI * frequencyHz * voice.delayFrames) / rateHz : null;
    left.add(l, angle);
    right.add(r, angle);
    fold.add((l + r) / 2, angle);
  }
  const sides = (left.power + right.power) / 2;
  return sides > 0 ? Math.max(-60, powerToDb(fold.power / sides)) : 0;
}

/** Paths that add in phase, and those that only add in power. */
class ComplexSum {
  #re = 0;
  #im = 0;
  #apart = 0;

  /** @param angle null for a path that drifts */
  add(gain: number, angle: number | null): void {
    if (angle === null) {
      this.#apart += gain * gain;
    } else {
      this.#re += gain * Math.cos(angle);
      this.#im += gain * Math.sin(angle);
    }
  }

  get power(): number {
    return this.#re * this.#re + this.#im * this.#im + this.#apart;
  }
}
