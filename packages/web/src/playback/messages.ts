import type { SpliceNeed } from '@pannet/core/derived/splice-library';
import type { Monitoring } from '@pannet/core/rendering/monitor';
import type { PlanChange } from '@pannet/core/rendering/plan-change';
import type { Reach } from '@pannet/core/rendering/time-map';
import type { Loop, PlayerState } from '@pannet/core/rendering/player';
import type { SplicePlan } from '@pannet/core/voices/splices';
import type { Recording, Song } from '@pannet/core/song/song';
import type { PcmSource } from '@pannet/core/sources/blocks';

/** From the page to the worklet. */
export type ToWorklet =
  /** A song, and how it is listened to: gains that make its states equally loud come with them. */
  | { readonly kind: 'plan'; readonly change: PlanChange; readonly monitoring: Monitoring }
  | { readonly kind: 'monitoring'; readonly monitoring: Monitoring }
  | { readonly kind: 'play' }
  | { readonly kind: 'stop' }
  | { readonly kind: 'seek'; readonly frame: number }
  | { readonly kind: 'loop'; readonly loop: Loop | null }
  | { readonly kind: 'watch'; readonly partId: string | null }
  | { readonly kind: 'feeder'; readonly port: MessagePort }
  | { readonly kind: 'splicer'; readonly port: MessagePort }
  /** Collect so many frames of what plays, from the next one on. */
  | { readonly kind: 'record'; readonly what: 'part' | 'heard'; readonly frames: number };

/** What the worklet shows, some sixty times a second. */
export interface Seen {
  readonly kind: 'seen';
  readonly frame: number;
  readonly state: PlayerState;
  readonly underruns: number;
  /** Interleaved L, R of the watched part. */
  readonly scope: Float32Array;
  /** Σl², Σr², Σlr of each part, in the plan's order. */
  readonly sums: Float64Array;
}

export interface Recorded {
  readonly kind: 'recorded';
  /** In how many quanta something had not come in time: what differs there is no difference of the sound. */
  readonly dropouts: number;
  /** Of the first frame collected, in the song. */
  readonly frame: number;
  readonly left: Float32Array;
  readonly right: Float32Array;
}

export type FromWorklet = Seen | Recorded;

/** From the feeder to the worklet. */
export type FeederToWorklet =
  | {
      readonly kind: 'block';
      readonly key: string;
      readonly index: number;
      readonly block: Float32Array;
    }
  | { readonly kind: 'keep'; readonly keep: Readonly<Record<string, readonly number[]>> };

/** From the worklet to the feeder: where it plays. */
export interface Whereabouts {
  readonly frame: number;
  readonly loop: Loop | null;
  /** Keys of the sources that are heard: of an older song, while a newer one's are made. */
  readonly heard: readonly string[];
  /** What has to be there round a place before it can sound. */
  readonly reach: Reach;
}

/** From the page to the feeder. What the song reads travels as what has changed. */
export type ToFeeder =
  | {
      readonly kind: 'sources';
      readonly rateHz: number;
      /** Recordings that it has not been told of. */
      readonly recordings: readonly Recording[];
      readonly added: readonly PcmSource[];
      readonly dropped: readonly string[];
    }
  | { readonly kind: 'worklet'; readonly port: MessagePort };

export interface FromFeeder {
  readonly kind: 'failed';
  readonly sentence: string;
}

/** From the page to the worker that plans splices: the last job counts; the port leads to the worklet. */
export type ToSplicer =
  | SpliceJob
  | { readonly kind: 'worklet'; readonly port: MessagePort }
  /** What the page no longer has, and may ask for again. */
  | { readonly kind: 'forget'; readonly keys: readonly string[] };

export interface SpliceJob {
  readonly kind: 'job';
  readonly recordings: Song['recordings'];
  readonly rateHz: number;
  /** Where it plays: planned first. */
  readonly frame: number;
  readonly needs: readonly SpliceNeed[];
}

export interface PlannedSplices {
  readonly kind: 'splices';
  readonly key: string;
  readonly splices: SplicePlan;
}

export type FromSplicer = PlannedSplices | FromFeeder;
