import type { Song, Take } from '@pannet/core/song/song';
import type { Comparison } from '@pannet/core/takes/line-up/line-up';
import type { Portrait } from '@pannet/core/takes/portrait';
import type { CutSettings } from '@pannet/core/takes/sounding';
import { question } from '../workers/ask.ts';

export interface TakesRequest {
  readonly song: Pick<Song, 'recordings' | 'rateHz'>;
  readonly reference: Take;
  /** Those that are worked at, the reference among them if it is to be cut. */
  readonly takes: readonly Take[];
  /** Silence is cut out first; null leaves clips as they are. */
  readonly cut: CutSettings | null;
  /** All but the reference are brought into time with it; null leaves them as they are. */
  readonly tightnessPercent: number | null;
  /** What is known of takes as they lie here, by their ids. */
  readonly comparisons: Readonly<Record<string, Comparison>>;
  /** Whether figures are wanted as well. */
  readonly figures: boolean;
}

/** What a take is, as it lies in the part, before its level and preparation. */
export interface TakeFigures {
  readonly portrait: Portrait;
  readonly crestDb: number | null;
  readonly noiseDb: number | null;
  /** To the reference, where it is loudest; null of the reference itself. */
  readonly likeness: { readonly value: number; readonly lagMs: number } | null;
}

export interface WorkedTake {
  readonly takeId: string;
  readonly clips: Take['clips'];
  readonly align: Take['align'];
  /** null of the reference. */
  readonly comparison: Comparison | null;
  readonly figures: TakeFigures | null;
}

export const takesQuestion = question<TakesRequest, readonly WorkedTake[]>(
  () => new Worker(new URL('./takes.worker.ts', import.meta.url), { type: 'module' }),
);
