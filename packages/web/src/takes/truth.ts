import { figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Take } from '@pannet/core/song/song';
import type { Comparison } from '@pannet/core/takes/line-up/line-up';
import { placeOnPath } from '@pannet/core/takes/line-up/path';
import type { TakeFigures } from './takes-question.ts';

/** How late a take's sure onsets are as it is heard, in ms: their mean, and how far they are spread round it (root mean square). */
export function heardTiming(
  { onsets }: Comparison,
  take: Take,
  rateHz: number,
): { readonly lateMs: number; readonly spreadMs: number } | null {
  const path = take.align?.path;
  const apart = onsets
    .filter(({ sure }) => sure)
    .map(({ at, late }) => (path ? placeOnPath(path, at + late) - at : late));
  if (apart.length < 2) return null;
  const mean = apart.reduce((sum, value) => sum + value, 0) / apart.length;
  const square = apart.reduce((sum, value) => sum + (value - mean) ** 2, 0) / apart.length;
  const ms = (frames: number) => (frames / rateHz) * 1000;
  return { lateMs: ms(mean), spreadMs: ms(Math.sqrt(square)) };
}

/** Where a take lies against its reference, in figures. */
export function timingOf(
  comparison: Comparison,
  take: Take,
  figures: TakeFigures | null,
  rateHz: number,
): string {
  if (comparison.alien !== null) return 'unlike the reference';
  const { onsets, polarity } = comparison;
  const timing = heardTiming(comparison, take, rateHz);
  const sure = onsets.filter((onset) => onset.sure).length;
  const turned = polarity === 'inverted' && take.align?.polarity !== 'inverted';
  return [
    timing && `${signedFigure(timing.lateMs, 1)} ms ±${figure(timing.spreadMs, 1)}`,
    `${sure}/${onsets.length} sure`,
    figures?.likeness && `like ${signedFigure(figures.likeness.value, 2)}`,
    turned && 'other polarity',
  ]
    .filter(Boolean)
    .join(' · ');
}

/** A take that is as alike as this to its reference is a copy, not another performance. */
const copyLikeness = 0.9;
/** Real performances stay so far apart; nearer they phase. Common practice. */
const tooTightMs = 1.5;

/** Whether a “double” is one, in a sentence; null where there is nothing to say. */
export function truthOf(
  figures: TakeFigures | null,
  comparison: Comparison | null,
  take: Take,
  rateHz: number,
): string | null {
  if (!comparison) return null;
  if (comparison.alien !== null) return `${comparison.alien} As a layer of its own it is fine.`;
  const likeness = figures?.likeness;
  if (likeness && Math.abs(likeness.value) >= copyLikeness)
    return `A copy of the reference (likeness ${signedFigure(likeness.value, 2)} at ${signedFigure(likeness.lagMs, 1)} ms), not a double: a second performance would lose 3 dB in the fold and cancel nothing.`;
  const timing = heardTiming(comparison, take, rateHz);
  if (take.align?.path && timing && timing.spreadMs < tooTightMs)
    return `Lined up so tightly (±${figure(timing.spreadMs, 1)} ms) that two takes of one sound phase: under ${figure(take.align.tightnessPercent, 0)} % they stay two.`;
  return null;
}
