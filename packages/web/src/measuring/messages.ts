import type { MeasuredStereo } from '@pannet/core/measurement/report';
import type { KnownSplices } from '../playback/prepared-song.ts';
import type { Song } from '@pannet/core/song/song';

export interface MeasureJob {
  readonly id: number;
  readonly song: Song;
  readonly partId: string;
  readonly from: number;
  readonly to: number;
  /** Holds the id of the job that is still wanted; another value stops this one. */
  readonly wanted: Int32Array | null;
  /** Splices that were planned already. */
  readonly splices: KnownSplices;
}

export interface Measured extends MeasuredStereo {
  /** Integrated loudness of plain as placed; null on silence. */
  readonly plainLufs: number | null;
  /** The most that the compressor of the preparation brings the take down, in dB; null where it is off. */
  readonly reductionDb: number | null;
}

export type FromMeasurer =
  | { readonly kind: 'progress'; readonly id: number; readonly share: number }
  | { readonly kind: 'measured'; readonly id: number; readonly measured: Measured }
  | { readonly kind: 'stopped'; readonly id: number }
  | { readonly kind: 'failed'; readonly id: number; readonly sentence: string };

/** A question for loudness alone; a newer one replaces it. */
export interface LoudnessJob {
  readonly id: number;
  readonly songs: readonly Song[];
  readonly partId: string;
  readonly from: number;
  readonly to: number;
  readonly splices: KnownSplices;
}

export type FromLoudness =
  /** In LUFS, one for each song; −∞ on silence. */
  | { readonly kind: 'loudness'; readonly id: number; readonly lufs: readonly number[] }
  | { readonly kind: 'failed'; readonly id: number; readonly sentence: string };
