import type { FoldPath } from '../measurement/comb.ts';
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
