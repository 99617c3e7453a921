import { lowBand } from '../measurement/across-bands.ts';
import { FoldLoudnessMeter } from '../measurement/loudness.ts';
import { measureStereo, type MeasuredStereo } from '../measurement/report.ts';
import { stereoSpectra } from '../measurement/spectra.ts';
import { TruePeakMeter } from '../measurement/true-peak.ts';
import { beatingOf, type Beating } from '../rendering/beating.ts';
import { planLeadMs } from '../rendering/fold-paths.ts';
import { renderStretch } from '../rendering/offline.ts';
import type { PartPlan, RenderPlan } from '../rendering/plan.ts';
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

/**
 * Renders a stretch of a part, and plain, and measures both.
 * @param tick is told the share done, and may throw to stop
 * @param known what was measured of plain before, by content; is added to
 */
export async function measurePart(
  plan: RenderPlan,
  partId: string,
  load: BlockLoader,
  from: number,
  to: number,
  tick: (share: number) => void = () => {},
  known: KnownPlain | null = null,
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
  const plain = await measurePlain(plan, part, load, from, to, known, (share) =>
    tick(0.75 + 0.25 * share),
  );
  return {
    ...measured,
    plain,
    plannedLeadMs: planLeadMs(part, rateHz),
    beating: beatingOf(part, rateHz, beatingHz),
  };
}

/** Plain does not change while its image is shaped: who measures again and again keeps its figures by their content. */
export type KnownPlain = Map<string, PartFigures['plain']>;
const mostKnown = 64;

async function measurePlain(
  plan: RenderPlan,
  { id, plain: { strand, level } }: PartPlan,
  load: BlockLoader,
  from: number,
  to: number,
  known: KnownPlain | null,
  tick: (share: number) => void,
): Promise<PartFigures['plain']> {
  const key = [strand.source.key, strand.left, level, plan.rateHz, from, to].join(' ');
  const before = known?.get(key);
  if (before) return before;
  const { left, right } = await renderStretch(plan, id, load, from, to, 'plain', (share) =>
    tick(0.6 * share),
  );
  const spectra = stereoSpectra(left, right, plan.rateHz, (share) => tick(0.6 + 0.4 * share));
  const figures = {
    // What lies in the middle is the same on both sides.
    ...levelOf([left, strand.left === strand.right ? left : right], plan.rateHz),
    lowDb: lowBand(spectra, to - from).stereoDb,
  };
  if (known && known.size >= mostKnown) known.clear();
  known?.set(key, figures);
  return figures;
}

/** Loudness, loudness of the fold and true peak of two sides. */
export function levelOf(sides: readonly Float32Array[], rateHz: number): Level {
  const [left, right] = sides;
  const channels = left === right ? [left] : sides;
  const peaks = new TruePeakMeter(rateHz, channels.length);
  peaks.process(channels, left.length);
  const meter = new FoldLoudnessMeter(rateHz);
  meter.process(left, right);
  return {
    lufs: finite(meter.sides.integrated()),
    foldLufs: finite(meter.fold.integrated()),
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
