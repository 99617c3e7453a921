import type { Lufs } from '../quantities/units.ts';

const { max, min, ceil, floor } = Math;

/** Short term is 3 s, looked at every 100 ms (EBU Tech 3341). */
const windowSeconds = 3;
const stepSeconds = 0.1;
/** A window this far under the programme's loudness says nothing: the relative gate of EBU Tech 3342. */
const gateLu = 20;
/** What vanishes altogether is drawn here. */
const deepestLu = -60;
const mostPoints = 240;

export interface LossMoment {
  /** Seconds from the beginning of what was measured: the middle of the window. */
  readonly seconds: number;
  /** Loudness of the fold over that of the stereo; null where there is next to no sound. */
  readonly lossLu: number | null;
}

export interface LossOverTime {
  /** At most 240 moments, each the worst of the windows that it stands for. */
  readonly moments: readonly LossMoment[];
  /** The 3 s in which the fold loses most; null for silence. */
  readonly worst: {
    readonly fromSeconds: number;
    readonly toSeconds: number;
    readonly lossLu: number;
  } | null;
}

/**
 * Fold over time: short-term loudness of the fold against that of the stereo.
 * @param stereo short-term loudness every 100 ms; of a stretch shorter than 3 s its one loudness
 * @param fold of the same windows
 * @param gate integrated loudness of the stereo, in LUFS
 * @param seconds length of the stretch
 */
export function lossOverTime(
  stereo: readonly Lufs[],
  fold: readonly Lufs[],
  gate: number,
  seconds: number,
): LossOverTime {
  const length = min(windowSeconds, seconds);
  const losses = stereo.map((loudness, n) =>
    loudness > max(-70, gate - gateLu) ? max(deepestLu, fold[n] - loudness) : null,
  );
  const stride = max(1, ceil(losses.length / mostPoints));
  const moments: LossMoment[] = [];
  let worst = -1;
  for (let at = 0; at < losses.length; at += stride) {
    let lowest: number | null = null;
    for (let n = at; n < min(losses.length, at + stride); n++) {
      const loss = losses[n];
      if (loss === null) continue;
      if (lowest === null || loss < lowest) lowest = loss;
      if (worst < 0 || loss < (losses[worst] ?? 0)) worst = n;
    }
    const middle = at + floor((min(stride, losses.length - at) - 1) / 2);
    moments.push({ seconds: middle * stepSeconds + length / 2, lossLu: lowest });
  }
  if (worst < 0) return { moments, worst: null };
  const fromSeconds = worst * stepSeconds;
  return {
    moments,
    worst: { fromSeconds, toSeconds: fromSeconds + length, lossLu: losses[worst] ?? 0 },
  };
}
