import type { ReadFrames } from '../sources/blocks.ts';
import { cutParameters } from '../parameters/tables.ts';
import { wholeClip } from './clip-edits.ts';
import { mostClips, type Clip } from './take.ts';

const { ceil, floor, log10, max, min, round } = Math;

export interface CutSettings {
  /** What stays under it is silence, in dBFS. */
  readonly thresholdDb: number;
  /** So long it has to be silent before it is cut, and so much of it is left behind what sounds, in ms. */
  readonly holdMs: number;
  readonly fadeMs: number;
}

export const usualCut: CutSettings = {
  thresholdDb: cutParameters.thresholdDb.default,
  holdMs: cutParameters.holdMs.default,
  fadeMs: cutParameters.fadeMs.default,
};

/** The level is looked at in steps of so much. */
const stepMs = 5;
const readFrames = 65_536;

/** The highest sample of each step, linear; for figures and for cutting. */
export async function envelopeOf(
  read: ReadFrames,
  frames: number,
  rateHz: number,
  tick: (share: number) => void = () => {},
): Promise<{ readonly step: number; readonly peaks: Float32Array }> {
  const step = max(1, round((stepMs * rateHz) / 1000));
  const peaks = new Float32Array(ceil(frames / step));
  const each = step * floor(readFrames / step);
  for (let start = 0; start < frames; start += each) {
    const samples = await read(start, min(each, frames - start));
    for (let n = 0; n < samples.length; n++) {
      const at = (start + n - ((start + n) % step)) / step;
      const size = samples[n] < 0 ? -samples[n] : samples[n];
      if (size > peaks[at]) peaks[at] = size;
    }
    tick(min(1, (start + each) / frames));
  }
  return { step, peaks };
}

/**
 * The stretches of a recording in which something sounds, each a clip that stays where it lies: of a take that is cut already within its
 * clips, where those lie.
 * @returns what there was where all of it sounds, or nothing does
 */
export function soundingClips(
  { step, peaks }: { readonly step: number; readonly peaks: Float32Array },
  frames: number,
  rateHz: number,
  { thresholdDb, holdMs, fadeMs }: CutSettings,
  before: readonly Clip[] | null = null,
): readonly Clip[] | null {
  const threshold = 10 ** (thresholdDb / 20);
  const inFrames = (ms: number) => round((ms * rateHz) / 1000);
  const fade = inFrames(fadeMs);
  const hold = max(step, inFrames(holdMs));
  const stretches: { from: number; to: number }[] = [];
  for (let n = 0; n < peaks.length; n++) {
    if (peaks[n] < threshold) continue;
    // The fade in is over before it sounds; the fade out begins once it is silent.
    const from = max(0, n * step - fade);
    const to = min(frames, (n + 1) * step + hold);
    const last = stretches.at(-1);
    if (last && from <= last.to) last.to = to;
    else stretches.push({ from, to });
  }
  const [first] = stretches;
  if (!first || (stretches.length === 1 && first.from === 0 && first.to === frames)) return before;
  const cut = (before ?? [wholeClip(frames)]).flatMap((clip) =>
    stretches.flatMap((stretch): Clip[] => {
      const from = max(stretch.from, clip.fromFrame);
      const to = min(stretch.to, clip.toFrame);
      if (to <= from) return [];
      const fade = min(fadeMs, ((to - from) / rateHz) * 500);
      return [
        {
          fromFrame: from,
          toFrame: to,
          atFrame: clip.atFrame + from - clip.fromFrame,
          // An edge that was there keeps its own fade.
          fadeInMs: before && from === clip.fromFrame ? clip.fadeInMs : fade,
          fadeOutMs: before && to === clip.toFrame ? clip.fadeOutMs : fade,
        },
      ];
    }),
  );
  return cut.length > 0 && cut.length <= mostClips ? cut : before;
}

/** What is under what sounds, in dBFS: a tenth of all steps are softer; null for digital silence. */
export function noiseDb({ peaks }: { readonly peaks: Float32Array }): number | null {
  const sounding = peaks.filter((peak) => peak > 0).sort();
  const low = sounding.at(floor(sounding.length / 10));
  return low === undefined ? null : 20 * log10(low);
}
