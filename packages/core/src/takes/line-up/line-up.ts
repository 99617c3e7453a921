import type { ReadFrames } from '../../sources/blocks.ts';
import type { Align, Anchor } from '../take.ts';
import { pathFor } from './path.ts';
import { likelyOffsets, type CoarseOffset } from './offset.ts';
import { fluxOf, hopsASecond, onsetsOf, type Flux } from './flux.ts';
import { isTrusted, matchOnsets, waveShifts, type MatchedOnset, type WaveShifts } from './match.ts';

const { abs, floor, log, max, round } = Math;

export interface TakeToRead {
  readonly read: ReadFrames;
  readonly frames: number;
  /** How it begins, where that is known: of a reference that several takes are set beside. */
  readonly flux?: Flux;
}

/** How a take lies against its reference, whatever is made of it. */
export interface Comparison {
  /** Onsets of the reference, in their order; frames. */
  readonly onsets: readonly MatchedOnset[];
  /** By how many frames the take is later as a whole: the middle one of its sure onsets. */
  readonly offset: number;
  readonly polarity: 'normal' | 'inverted';
  /** null for what can be lined up; otherwise why it is left alone. */
  readonly alien: string | null;
}

/** Takes of one thing begin most of their sounds alike: what does not is another thing. */
const leastSure = 0.3;
const leastLikeness = 0.12;
const leastOnsets = 2;
/** The sign is only told by waves that are alike: two performances leave it as it is. */
const signTold = 0.15;

/**
 * Compares a take with its reference: offset, polarity, and where each onset is.
 * @param tick told the share that is done; may throw to stop
 */
export async function compareTakes(
  reference: TakeToRead,
  take: TakeToRead,
  rateHz: number,
  tick: (share: number) => void = () => {},
): Promise<Comparison> {
  const mine =
    reference.flux ??
    (await fluxOf(reference.read, reference.frames, rateHz, (share) => tick(0.4 * share)));
  const other = await fluxOf(take.read, take.frames, rateHz, (share) => tick(0.4 + 0.4 * share));
  return compareFluxes(reference, take, mine, other, rateHz, (share) => tick(0.8 + 0.2 * share));
}

/** What lining up makes of a take: how it was compared, and what of it is kept with it. */
export interface LinedUp {
  readonly comparison: Comparison;
  readonly align: Omit<Align, 'to'>;
}

/** Compares a take with its reference and brings it there. What is alien stays as it is. */
export async function lineUp(
  reference: TakeToRead,
  take: TakeToRead,
  rateHz: number,
  tightnessPercent: number,
  tick: (share: number) => void = () => {},
): Promise<LinedUp> {
  const comparison = await compareTakes(reference, take, rateHz, (share) => tick(0.8 * share));
  const align = await alignFor(comparison, take, rateHz, tightnessPercent, [], (share) =>
    tick(0.8 + 0.2 * share),
  );
  return { comparison, align };
}

/** The same from a comparison that is known: what is done again while the tightness is turned. */
export async function alignFor(
  comparison: Comparison,
  take: TakeToRead,
  rateHz: number,
  tightnessPercent: number,
  anchors: readonly Anchor[] = [],
  tick: (share: number) => void = () => {},
): Promise<Omit<Align, 'to'>> {
  const path = await pathFor(comparison, take, rateHz, tightnessPercent, anchors, tick);
  const turned = comparison.polarity === 'inverted' && comparison.alien === null;
  const inverted = turned && tightnessPercent > 0;
  return {
    tightnessPercent,
    polarity: inverted ? 'inverted' : 'normal',
    // What is only turned over has a path that leaves it where it is.
    path: path ?? (inverted ? { at: [0], shift: [0], alike: [1] } : null),
    anchors,
  };
}

async function compareFluxes(
  reference: TakeToRead,
  take: TakeToRead,
  mine: Flux,
  other: Flux,
  rateHz: number,
  tick: (share: number) => void,
): Promise<Comparison> {
  const onsetHops = onsetsOf(mine);
  const coarse = placeOf(mine, other, onsetHops);
  const found = matchOnsets(mine, other, onsetHops, coarse.hops).onsets;
  const waves: WaveShifts[] = [];
  let sign = 0;
  for (const [n, onset] of found.entries()) {
    const wave = await waveShifts(reference.read, take.read, onset, rateHz);
    waves.push(wave);
    // What is right is nearly alike; the wrong sign of a tone comes near to it, half a period on.
    sign += log((1.01 - wave.upright.likeness) / (1.01 - wave.inverted.likeness));
    tick(n / found.length);
  }
  const told = sign / max(1, found.length) > signTold;
  const polarity = told ? 'inverted' : 'normal';
  const onsets = found.map((onset, n): MatchedOnset => {
    const wave = told ? waves[n].inverted : waves[n].upright;
    if (!isTrusted(wave)) return onset;
    return { ...onset, late: wave.late, sure: onset.sure || wave.once };
  });
  const sure = onsets.filter((onset) => onset.sure);
  const share = onsets.length > 0 ? sure.length / onsets.length : 0;
  const alien =
    onsets.length < leastOnsets
      ? 'Too little begins in the reference to line anything up with it.'
      : share < leastSure || coarse.likeness < leastLikeness
        ? 'These takes have too little in common: they are left as they are.'
        : null;
  const offset = median(sure.map(({ late }) => late)) ?? coarse.hops * mine.hopFrames;
  return { onsets, offset: round(offset), polarity, alien };
}

/** So many onsets tell in which of several places a take belongs. */
const tellingOnsets = 48;
/** Of places that are as likely the nearer one is: by so much of a likeness for each second. */
const fartherASecond = 0.004;

function placeOf(mine: Flux, other: Flux, onsets: readonly number[]): CoarseOffset {
  const each = max(1, floor(onsets.length / tellingOnsets));
  const telling = onsets.filter((_, n) => n % each === 0);
  let best: CoarseOffset = { hops: 0, likeness: 0 };
  let most = -Infinity;
  for (const place of likelyOffsets(mine, other)) {
    const { alike } = matchOnsets(mine, other, telling, place.hops);
    const score = alike - (fartherASecond * abs(place.hops)) / hopsASecond;
    if (score > most) [best, most] = [place, score];
  }
  return best;
}

export function median(values: readonly number[]): number | null {
  if (values.length === 0) return null;
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2 === 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
}
