import { lowBand } from '../measurement/across-bands.ts';
import { LoudnessMeter } from '../measurement/loudness.ts';
import { measureStereo, type MeasuredStereo } from '../measurement/report.ts';
import { stereoSpectra } from '../measurement/spectra.ts';
import { TruePeakMeter } from '../measurement/true-peak.ts';
import { beatingOf, type Beating } from '../rendering/beating.ts';
import { planLeadMs } from '../rendering/fold-paths.ts';
import { renderStretch } from '../rendering/offline.ts';
import type { RenderPlan } from '../rendering/plan.ts';
import type { BlockLoader } from '../sources/blocks.ts';

/** What comparing needs of plain; null where it is silent. */
export interface Level {
  readonly lufs: number | null;
  /** Of the fold on both speakers. */
  readonly foldLufs: number | null;
  readonly truePeakDbtp: number | null;
}

/** All that is measured of a part. */
export interface PartFigures extends MeasuredStereo {
  readonly plain: Level & { readonly lowDb: number };
  /** By how much L speaks before R, from the delays of the voices; null where a side says nothing. */
  readonly plannedLeadMs: number | null;
  /** Of each ear, at 440 Hz. */
  readonly beating: { readonly left: Beating; readonly right: Beating };
}

/** Beats are told at the pitch to which instruments are tuned (ISO 16). */
export const beatingHz = 440;

const finite = (value: number) => (Number.isFinite(value) ? value : null);

/** Renders a stretch of a part, and plain, and measures both. `tick` is told the share done and may throw to stop. */
export async function measurePart(
  plan: RenderPlan,
  partId: string,
  load: BlockLoader,
  from: number,
  to: number,
  tick: (share: number) => void = () => {},
): Promise<PartFigures> {
  const part = plan.parts.find(({ id }) => id === partId);
  if (!part) throw new Error(`The plan has no part ${partId}.`);
  const { rateHz } = plan;
  const image = await renderStretch(plan, partId, load, from, to, 'image', (share) =>
    tick(0.35 * share),
  );
  const measured = measureStereo(image.left, image.right, rateHz, (share) =>
    tick(0.35 + 0.4 * share),
  );
  const plain = await renderStretch(plan, partId, load, from, to, 'plain', (share) =>
    tick(0.75 + 0.15 * share),
  );
  const sides = [plain.left, plain.right];
  const level = levelOf(sides, rateHz);
  const spectra = stereoSpectra(plain.left, plain.right, rateHz, lowTransform, (share) =>
    tick(0.9 + 0.1 * share),
  );
  return {
    ...measured,
    plain: { ...level, lowDb: lowBand(spectra, to - from).stereoDb },
    plannedLeadMs: planLeadMs(part, rateHz),
    beating: beatingOf(part, rateHz, beatingHz),
  };
}

/** The same transform as that of the report, so that levels can be set against each other. */
const lowTransform = 16_384;

/** Loudness, loudness of the fold and true peak of two sides. */
export function levelOf(sides: readonly Float32Array[], rateHz: number): Level {
  const [left, right] = sides;
  const stereo = new LoudnessMeter(rateHz, 2);
  const folded = new LoudnessMeter(rateHz, 2);
  const peaks = new TruePeakMeter(rateHz, 2);
  const fold = left.map((value, n) => (value + right[n]) / 2);
  stereo.process(sides, left.length);
  folded.process([fold, fold], left.length);
  peaks.process(sides, left.length);
  return {
    lufs: finite(stereo.integrated()),
    foldLufs: finite(folded.integrated()),
    truePeakDbtp: finite(peaks.truePeakDbtp()),
  };
}

/** The level of what was measured. */
export function imageLevel({ report }: MeasuredStereo): Level {
  const { loudnessLufs, truePeakDbtp, fold } = report;
  return {
    lufs: loudnessLufs,
    foldLufs: loudnessLufs === null || fold.lossDb === null ? null : loudnessLufs + fold.lossDb,
    truePeakDbtp,
  };
}
