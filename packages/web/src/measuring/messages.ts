import type { FindingCode } from '@pannet/core/findings/finding';
import type { Mend } from '@pannet/core/findings/find-mend';
import type { Level, PartFigures } from '@pannet/core/findings/part-figures';
import type { CrowdedAlong } from '@pannet/core/comparing/places-along';
import type { BandSides } from '@pannet/core/measurement/across-bands';
import type { MeasuredStereo } from '@pannet/core/measurement/report';
import type { MayChange } from '@pannet/core/findings/variations';
import type { KnownSplices } from '../playback/known-splices.ts';
import type { Song } from '@pannet/core/song/song';

export interface MeasureJob {
  readonly id: number;
  readonly song: Song;
  readonly partId: string;
  readonly from: number;
  readonly to: number;
  /** See `Asked`; null where nothing can be shared. */
  readonly asked: Int32Array | null;
  /** Splices that were planned already. */
  readonly splices: KnownSplices;
}

export interface Measured extends PartFigures {
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
  /** One for each song. */
  | { readonly kind: 'loudness'; readonly id: number; readonly levels: readonly Level[] }
  | { readonly kind: 'failed'; readonly id: number; readonly sentence: string };

interface MendStretch {
  readonly song: Song;
  readonly partId: string;
  readonly from: number;
  readonly to: number;
  readonly splices: KnownSplices;
}

/** One question for each worker, which is ended to stop it. */
export type ToMender =
  | (MendStretch & { readonly kind: 'mend'; readonly code: FindingCode })
  | (MendStretch & { readonly kind: 'search'; readonly may: MayChange });

/** A mend that was looked for; null where there is none, or a search was asked for, which tells as it goes. */
export interface Mended {
  readonly mend: Mend | null;
}

/** A file that was measured without being made a part of. */
export interface MeasuredFile extends MeasuredStereo {
  readonly seconds: number;
  readonly channels: number;
}

/** In the place of a root: the bed, which has no name of its own in a plan. */
export const bedRoot = 'the bed';

/** What several parts of a song give together, without its bed; or that alone. */
/** Where all that sounds lies along a stretch of the song. */
export interface PlacesJob {
  readonly song: Song;
  readonly from: number;
  readonly to: number;
  readonly splices: KnownSplices;
}

export interface MeasuredPlaces {
  readonly items: readonly {
    readonly id: string;
    readonly name: string;
    readonly kind: 'part' | 'room';
    readonly fedBy: readonly string[];
    /** Over all of the stretch; none where it is silent. */
    readonly bands: readonly BandSides[];
  }[];
  readonly crowded: readonly CrowdedAlong[];
  /** Of the stretch, as it was measured. */
  readonly windows: number;
}

export interface SongJob {
  readonly song: Song;
  /** Id of the node that is measured. */
  readonly root: string;
  readonly from: number;
  readonly to: number;
  readonly splices: KnownSplices;
}
