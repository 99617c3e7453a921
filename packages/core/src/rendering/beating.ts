import { gainToDb } from '../quantities/units.ts';
import type { PartPlan } from './plan.ts';
import { responseOf, tunedRatio } from './strand-response.ts';

const { abs, max, min, hypot, atan2, cos, sin, PI } = Math;

/** How one ear's sound beats where voices of other tunings meet in it. */
export interface Beating {
  /** Of the strongest pair, at the frequency asked for; 0 where nothing beats. */
  readonly rateHz: number;
  /** From the quietest to the loudest moment, in dB; 0 where nothing beats, held to 40. */
  readonly rippleDb: number;
}

const steady: Beating = { rateHz: 0, rippleDb: 0 };
const mostRippleDb = 40;

/**
 * Beats of each ear at one frequency, from the plan: voices of one tuning add in phase, those of different ones pass
 * through all phases, so their sum moves between |a − b| and a + b at the difference of their frequencies. A drifting voice
 * beats against what stands, at no steady rate: it counts for the ripple.
 */
export function beatingOf(
  part: PartPlan,
  rateHz: number,
  frequencyHz: number,
): { readonly left: Beating; readonly right: Beating } {
  const { ll, lr, rl, rr } = part.stage.open;
  return {
    left: beatingIn(part, rateHz, frequencyHz, ll, lr),
    right: beatingIn(part, rateHz, frequencyHz, rl, rr),
  };
}

interface Group {
  readonly ratio: number;
  re: number;
  im: number;
}

function beatingIn(
  part: PartPlan,
  rateHz: number,
  frequencyHz: number,
  fromLeft: number,
  fromRight: number,
): Beating {
  const groups = new Map<string, Group>();
  for (const strand of part.strands) {
    const { re, im } = responseOf(strand, rateHz)?.(frequencyHz) ?? { re: 1, im: 0 };
    const gain = (fromLeft * strand.left + fromRight * strand.right) * hypot(re, im);
    if (gain === 0) continue;
    const ratio = tunedRatio(strand);
    const key = `${ratio}/${strand.drift?.key ?? ''}/${strand.takeKey}`;
    let group = groups.get(key);
    if (!group) groups.set(key, (group = { ratio, re: 0, im: 0 }));
    const angle = atan2(im, re) - (2 * PI * frequencyHz * strand.delayFrames) / rateHz;
    group.re += gain * cos(angle);
    group.im += gain * sin(angle);
  }
  const sizes = [...groups.values()]
    .map(({ ratio, re, im }) => ({ ratio, size: hypot(re, im) }))
    .sort((a, b) => b.size - a.size);
  if (sizes.length < 2) return steady;
  const [first, second] = sizes;
  const others = sizes.slice(1).reduce((sum, { size }) => sum + size, 0);
  const quietest = max(0, first.size - others);
  const ripple = gainToDb((first.size + others) / max(1e-9, quietest));
  return {
    rateHz: abs(first.ratio - second.ratio) * frequencyHz,
    rippleDb: min(mostRippleDb, ripple),
  };
}
