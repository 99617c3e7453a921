import type { FoldPath } from '../measurement/comb.ts';
import { powerToDb } from '../quantities/units.ts';
import { seededHash } from '../signal/random.ts';
import type { Complex } from '../signal/long-fir.ts';
import { responseOf, tunedRatio } from './strand-response.ts';
import { isLowStrand, type PartPlan, type StrandPlan } from './plan.ts';

/**
 * The paths of a part's first take into its fold, relative to the plain take: what the comb is computed from before
 * it is heard. Voices that play other takes are left out, since they do not comb with it.
 */
export function foldPaths(part: PartPlan, rateHz: number): FoldPath[] {
  const { ll, lr, rl, rr } = part.stage.open;
  const { strand, level } = part.plain;
  const plain = (strand.left + strand.right) * level;
  return part.strands
    .filter(({ takeKey }) => takeKey === strand.takeKey)
    .map((path) => ({
      gain: ((ll + rl) * path.left + (lr + rr) * path.right) / plain,
      delaySeconds: path.delayFrames / rateHz,
      coherent: staysPut(path),
      response: responseOf(path, rateHz),
    }))
    .filter((path) => Math.abs(path.gain) > 1e-6);
}

/** A strand that is tuned or drifts adds in power, since its phase against the others does not stand still. */
export function staysPut(strand: StrandPlan): boolean {
  return tunedRatio(strand) === 1 && strand.drift === null;
}

/** Strands this far under the loudest of a side do not decide when the side speaks. */
const speaksWithin = 10 ** (-10 / 20);

/** By how many ms L speaks before R, from the plan; null where a side says nothing. */
export function planLeadMs(part: PartPlan, rateHz: number): number | null {
  // A low end that is kept together in the middle leads nobody anywhere.
  const strands = part.strands.filter((strand) => !isLowStrand(strand));
  const arrival = (side: 'left' | 'right') => {
    const loudest = Math.max(0, ...strands.map((strand) => Math.abs(strand[side])));
    if (loudest === 0) return null;
    const speaking = strands.filter((strand) => Math.abs(strand[side]) >= loudest * speaksWithin);
    return Math.min(...speaking.map((strand) => strand.delayFrames));
  };
  const left = arrival('left');
  const right = arrival('right');
  return left === null || right === null ? null : ((right - left) * 1000) / rateHz;
}

interface SidedPath {
  readonly strand: StrandPlan;
  readonly response: ((hz: number) => Complex) | undefined;
  readonly left: number;
  readonly right: number;
}

/** The strands with what they do to both sides after the stage. */
function sidedPaths(part: PartPlan, rateHz: number): SidedPath[] {
  const { ll, lr, rl, rr } = part.stage.open;
  return part.strands.map((strand) => ({
    strand,
    response: responseOf(strand, rateHz),
    left: ll * strand.left + lr * strand.right,
    right: rl * strand.left + rr * strand.right,
  }));
}

/** A path at one frequency: how much of it goes to each side, and at which angle where it stands still. */
interface PathAt {
  readonly strand: StrandPlan;
  readonly left: number;
  readonly right: number;
  readonly angle: number;
}

function pathsAt(paths: readonly SidedPath[], frequencyHz: number, rateHz: number): PathAt[] {
  return paths.map(({ strand, response, left, right }) => {
    const { re, im } = response?.(frequencyHz) ?? { re: 1, im: 0 };
    const size = Math.hypot(re, im);
    const late = (-2 * Math.PI * frequencyHz * strand.delayFrames) / rateHz;
    return { strand, left: left * size, right: right * size, angle: late + Math.atan2(im, re) };
  });
}

/** @param angleOf says at which angle a path adds to the others; null for one that only adds in power */
function lossOf(paths: readonly PathAt[], angleOf: (path: PathAt) => number | null): number {
  const takes = new Map<string, TakeSums>();
  for (const path of paths) {
    const { takeKey } = path.strand;
    let sums = takes.get(takeKey);
    if (!sums)
      takes.set(
        takeKey,
        (sums = { left: new ComplexSum(), right: new ComplexSum(), fold: new ComplexSum() }),
      );
    const angle = angleOf(path);
    sums.left.add(path.left, angle);
    sums.right.add(path.right, angle);
    sums.fold.add((path.left + path.right) / 2, angle);
  }
  let sides = 0;
  let fold = 0;
  for (const sums of takes.values()) {
    sides += (sums.left.power + sums.right.power) / 2;
    fold += sums.fold.power;
  }
  return sides > 0 ? Math.max(-60, powerToDb(fold / sides)) : 0;
}

/** What comes of one take adds in phase; two takes are two performances, and add in power. */
interface TakeSums {
  readonly left: ComplexSum;
  readonly right: ComplexSum;
  readonly fold: ComplexSum;
}

/**
 * By how much the lead may be off, in ms either way: what speaks first on each side may come so much earlier or later. A tuned
 * voice moves by up to half a window of its splices, a drifting one by its range; behind a voice that stands still it does
 * not count.
 */
export function leadWanderMs(part: PartPlan, rateHz: number): number {
  const strands = part.strands.filter((strand) => !isLowStrand(strand));
  /** Between the earliest and the latest that the side may begin to speak. */
  const width = (side: 'left' | 'right') => {
    const loudest = Math.max(0, ...strands.map((strand) => Math.abs(strand[side])));
    const arrivals = strands
      .filter((strand) => strand[side] !== 0 && Math.abs(strand[side]) >= loudest * speaksWithin)
      .map(({ tuning, drift, delayFrames }) => {
        const wander = (tuning?.splices.usualWander ?? 0) + (drift?.path.widestFrames ?? 0);
        return { earliest: delayFrames - wander, latest: delayFrames + wander };
      });
    if (arrivals.length === 0) return 0;
    const first = Math.min(...arrivals.map(({ earliest }) => earliest));
    const last = Math.min(...arrivals.map(({ latest }) => latest));
    return last - first;
  };
  return ((width('left') + width('right')) / 2 / rateHz) * 1000;
}

/**
 * What the fold loses at one frequency against the power of the sides, from the plan alone, in dB: 0 where both sides
 * agree, −60 at the bottom of a notch. Strands that do not stay put count by their power.
 */
export function predictedLoss(part: PartPlan, rateHz: number): (frequencyHz: number) => number {
  const paths = sidedPaths(part, rateHz);
  return (frequencyHz) =>
    lossOf(pathsAt(paths, frequencyHz, rateHz), ({ strand, angle }) =>
      staysPut(strand) ? angle : null,
    );
}

/** So many places of what wanders are looked at. */
const wanderings = 24;

/**
 * Between what the loss moves while voices wander: a drifting one within its range, a tuned one through all angles. null
 * where everything stays put, since it is then one figure. Places are drawn from a fixed seed.
 */
export function predictedRange(
  part: PartPlan,
  rateHz: number,
): ((frequencyHz: number) => { readonly lowestDb: number; readonly highestDb: number }) | null {
  const paths = sidedPaths(part, rateHz);
  if (paths.every(({ strand }) => staysPut(strand))) return null;
  // Strands of one voice wander together.
  const voices = [...new Set(part.strands.map(({ voiceId }) => voiceId))];
  const places = voices.map((_, n) =>
    Float64Array.from({ length: wanderings }, (__, look) => 2 * seededHash(1 + n, look) - 1),
  );
  return (frequencyHz) => {
    const here = pathsAt(paths, frequencyHz, rateHz);
    let lowestDb = 0;
    let highestDb = -60;
    for (let look = 0; look < wanderings; look++) {
      const loss = lossOf(here, ({ strand, angle }) => {
        if (staysPut(strand)) return angle;
        const widest = strand.drift ? strand.drift.path.widestFrames : Infinity;
        const reach =
          tunedRatio(strand) !== 1
            ? Math.PI
            : Math.min(Math.PI, (2 * Math.PI * frequencyHz * widest) / rateHz);
        return angle + places[voices.indexOf(strand.voiceId)][look] * reach;
      });
      lowestDb = Math.min(lowestDb, loss);
      highestDb = Math.max(highestDb, loss);
    }
    return { lowestDb, highestDb };
  };
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
