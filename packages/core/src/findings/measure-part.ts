import { lowBand } from '../measurement/across-bands.ts';
import { FoldLoudnessMeter } from '../measurement/loudness.ts';
import { chainsOfPlan, opposedChains } from './chains.ts';
import { measureMotion } from './motion.ts';
import { beatingHz, type Level, type PartFigures } from './part-figures.ts';
import { measureStereo, pieceFrames } from '../measurement/report.ts';
import { stereoSpectra } from '../measurement/spectra.ts';
import { TruePeakMeter } from '../measurement/true-peak.ts';
import { beatingOf } from '../rendering/beating.ts';
import { planLeadMs } from '../rendering/fold-paths.ts';
import { renderStretch } from '../rendering/offline.ts';
import type { PartPlan, RenderPlan } from '../rendering/plan.ts';
import type { BlockLoader } from '../sources/blocks.ts';

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
    tick(0.75 + 0.15 * share),
  );
  const motion = await measureMotion(plan, partId, load, image, from, (share) =>
    tick(0.9 + 0.1 * share),
  );
  return {
    ...measured,
    plain,
    plannedLeadMs: planLeadMs(part, rateHz),
    beating: beatingOf(part, rateHz, beatingHz),
    chains: await chainsOf(plan, part, image, load, from),
    motion,
  };
}

/** Chains are set beside each other over so much. */
const chainSeconds = 8;

async function chainsOf(
  plan: RenderPlan,
  part: PartPlan,
  { left, right }: { readonly left: Float32Array; readonly right: Float32Array },
  load: BlockLoader,
  from: number,
): Promise<PartFigures['chains']> {
  const voices = opposedChains(part);
  if (!voices) return null;
  const length = Math.min(left.length, chainSeconds * plan.rateHz);
  const start = from + loudestFrom(left, right, length);
  const asked = { partId: part.id, voices, from: start, to: start + length };
  return { ...(await chainsOfPlan(plan, asked, load)), voices };
}

/** Where so long a stretch has the most energy, in steps of an eighth of it. */
function loudestFrom(left: Float32Array, right: Float32Array, length: number): number {
  const step = Math.max(1, length >> 3);
  const energies: number[] = [];
  for (let start = 0; start < left.length; start += step) {
    let sum = 0;
    for (let n = start; n < Math.min(left.length, start + step); n++)
      sum += left[n] * left[n] + right[n] * right[n];
    energies.push(sum);
  }
  let best = 0;
  let most = -1;
  for (let n = 0; n * step + length <= left.length; n++) {
    const sum = energies.slice(n, n + 8).reduce((all, one) => all + one, 0);
    if (sum > most) [best, most] = [n * step, sum];
  }
  return best;
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
    tick(0.5 * share),
  );
  const spectra = stereoSpectra(left, right, plan.rateHz, (share) => tick(0.5 + 0.3 * share));
  const figures = {
    // What lies in the middle is the same on both sides.
    ...levelOf([left, strand.left === strand.right ? left : right], plan.rateHz, (share) =>
      tick(0.8 + 0.2 * share),
    ),
    lowDb: lowBand(spectra, to - from).stereoDb,
  };
  if (known && known.size >= mostKnown) known.clear();
  known?.set(key, figures);
  return figures;
}

/** Loudness, loudness of the fold and true peak of two sides. */
export function levelOf(
  [left, right]: readonly Float32Array[],
  rateHz: number,
  tick: (share: number) => void = () => {},
): Level {
  const channels = left === right ? [left] : [left, right];
  const peaks = new TruePeakMeter(rateHz, channels.length);
  const meter = new FoldLoudnessMeter(rateHz);
  for (let at = 0; at < left.length; at += pieceFrames) {
    const piece = (side: Float32Array) => side.subarray(at, at + pieceFrames);
    peaks.process(channels.map(piece), piece(left).length);
    meter.process(piece(left), piece(right));
    tick(at / left.length);
  }
  return {
    lufs: finite(meter.sides.integrated()),
    foldLufs: finite(meter.fold.integrated()),
    truePeakDbtp: finite(peaks.truePeakDbtp()),
  };
}
