import { measureStereo } from '@pannet/core/measurement/report';
import type { Measured } from '../measuring/messages.ts';

const rate = 48_000;
const still = { rateHz: 0, rippleDb: 0 };

/** A second of 1 kHz at −12 dB, so many frames late: 12 of them are a quarter of its period. */
export const sine = (late = 0) =>
  Float32Array.from({ length: rate }, (_, n) => Math.sin(((n - late) * Math.PI) / 24) / 4);

/** What a worker would tell of a part that sounds so; of its plain take the loudness is given. */
export function measuredAs(
  left: Float32Array,
  right: Float32Array,
  plainLufs: number | null,
): Measured {
  return {
    ...measureStereo(left, right, rate),
    plain: { lufs: plainLufs, foldLufs: plainLufs, truePeakDbtp: -12, lowDb: -40 },
    plannedLeadMs: 0,
    beating: { left: still, right: still },
    chains: null,
    motion: null,
    reductionDb: null,
  };
}
