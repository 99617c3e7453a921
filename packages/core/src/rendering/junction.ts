import type { Image } from '../image/image.ts';
import { gainToDb } from '../quantities/units.ts';
import type { PcmSource } from '../sources/blocks.ts';
import { neutralPreparation } from '../takes/preparation.ts';
import type { PanLaw } from '../voices/pan-law.ts';
import { planImage } from './compile.ts';
import { staysPut } from './fold-paths.ts';
import { responseOf } from './strand-response.ts';
import { isLowStrand, type StrandPlan } from './plan.ts';

/** How the low end and the voices above it meet at the corner of low-end mono. */
export interface Junction {
  /** Level of each side against both halves adding up in phase, in dB, 0 and below. */
  readonly points: readonly {
    readonly hz: number;
    readonly left: number;
    readonly right: number;
  }[];
  readonly deepestDb: number;
  readonly deepestHz: number;
}

/** It is looked at so many octaves to either side of the corner, in so many steps an octave. */
const octaves = 1.5;
const stepsPerOctave = 24;
/** A half this far under the other one takes nothing from it. */
const matters = 10 ** (-40 / 20);
/** The corner may be moved by this share to where both meet better. */
const mostMove = 0.25;
/** A move that mends less is not worth a word. */
const worthDb = 0.3;

/**
 * The junction of an image whose low end is in the middle by its anchor, from the document alone; null for any other.
 * Voices that are tuned or drift are left out: their phase does not stand still.
 */
export function junction(image: Image, panLaw: PanLaw, rateHz: number): Junction | null {
  const { lowMono } = image.stage;
  if (lowMono.hz === null || lowMono.kind !== 'anchor') return null;
  const takes = Math.max(1, ...image.voices.map((voice) => voice.take));
  const source: PcmSource = { key: 'any', frames: rateHz };
  const { strands } = planImage(
    'any',
    { image, preparation: neutralPreparation, panLaw, level: 1 },
    rateHz,
    Array.from({ length: takes }, () => ({ source, peak: 1 })),
    new Map(),
  );
  const still = strands.filter(staysPut);
  const low = still.filter(isLowStrand);
  const high = still.filter((strand) => !isLowStrand(strand));
  const points: Junction['points'][number][] = [];
  let deepestDb = 0;
  let deepestHz = lowMono.hz;
  for (let n = -octaves * stepsPerOctave; n <= octaves * stepsPerOctave; n++) {
    const hz = lowMono.hz * 2 ** (n / stepsPerOctave);
    const [left, right] = (['left', 'right'] as const).map((side) =>
      meetingDb(sumOf(low, side, hz, rateHz), sumOf(high, side, hz, rateHz)),
    );
    points.push({ hz, left, right });
    if (Math.min(left, right) < deepestDb) {
      deepestDb = Math.min(left, right);
      deepestHz = hz;
    }
  }
  return { points, deepestDb, deepestHz };
}

interface Sum {
  readonly re: number;
  readonly im: number;
}

function sumOf(
  strands: readonly StrandPlan[],
  side: 'left' | 'right',
  hz: number,
  rateHz: number,
): Sum {
  let re = 0;
  let im = 0;
  for (const strand of strands) {
    const by = responseOf(strand, rateHz)?.(hz) ?? { re: 1, im: 0 };
    const angle = (-2 * Math.PI * hz * strand.delayFrames) / rateHz;
    const gain = strand[side];
    re += gain * (by.re * Math.cos(angle) - by.im * Math.sin(angle));
    im += gain * (by.re * Math.sin(angle) + by.im * Math.cos(angle));
  }
  return { re, im };
}

function meetingDb(low: Sum, high: Sum): number {
  const a = Math.hypot(low.re, low.im);
  const b = Math.hypot(high.re, high.im);
  if (Math.min(a, b) < matters * Math.max(a, b)) return 0;
  return Math.max(-60, gainToDb(Math.hypot(low.re + high.re, low.im + high.im) / (a + b)));
}

/** A corner near the one that was chosen at which both halves meet better, or null where none is worth the move. */
export function offeredCorner(image: Image, panLaw: PanLaw, rateHz: number): number | null {
  const at = (hz: number) => {
    const stage = { ...image.stage, lowMono: { ...image.stage.lowMono, hz } };
    return junction({ ...image, stage }, panLaw, rateHz)?.deepestDb ?? 0;
  };
  const chosen = image.stage.lowMono.hz;
  if (chosen === null) return null;
  let best = chosen;
  let deepest = at(chosen) + worthDb;
  // Nothing is better than in phase.
  if (deepest >= 0) return null;
  for (let step = -10; step <= 10; step++) {
    const hz = Math.round(chosen * (1 + (step / 10) * mostMove));
    const found = at(hz);
    // Of equally good ones the nearest.
    if (found > deepest + 0.05 * Math.abs(step) * worthDb) {
      deepest = found;
      best = hz;
    }
  }
  return best === chosen ? null : best;
}
