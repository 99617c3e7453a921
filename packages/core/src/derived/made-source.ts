import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import type { HeardThrough } from '../amps/amp.ts';
import type { Body } from '../amps/body.ts';
import type { Drive } from '../amps/drive.ts';
import type { Opening } from '../image/stage.ts';
import type { Curve } from '../moves/curve.ts';
import type { Tempo } from '../moves/tempo.ts';
import { makingVersion } from '../song/sound-version.ts';
import { briefBlockFrames, shortBlockFrames, type PcmSource } from '../sources/blocks.ts';
import type { Arrangement } from '../takes/arrangement.ts';
import type { Preparation } from '../takes/preparation.ts';
import type { Colour } from '../voices/colour.ts';
import type { Response } from '../voices/response.ts';
import type { Tone } from '../voices/tone.ts';
import type { VocodedKind } from '../voices/voice.ts';
import type { Worn } from '../voices/worn.ts';

/**
 * One thing that is done to a source ahead of playing. All that has memory (filters, compressors, envelopes) is done
 * here, block by block, so that what runs while it plays is a function of the absolute frame alone: a seek, a loop and the
 * export sound the same to the bit.
 */
export type MakingStep =
  /** Put together out of pieces of the source. */
  | { readonly kind: 'arranged'; readonly arrangement: Arrangement }
  | { readonly kind: 'preparation'; readonly preparation: Preparation }
  | { readonly kind: 'timbre'; readonly semitones: number }
  | { readonly kind: 'colour'; readonly colour: Colour; readonly peak: number }
  /** Of an amp chain: what bends, what follows it, and what it is heard through. */
  | {
      readonly kind: 'drive';
      readonly drive: Drive;
      /** What is added to it along the song, where it moves. */
      readonly moves?: DriveMoves;
    }
  | { readonly kind: 'body'; readonly body: Body; readonly ratio: number }
  | { readonly kind: 'cabinet'; readonly cabinet: HeardThrough; readonly ratio: number }
  | { readonly kind: 'worn'; readonly worn: Worn; readonly seed: number }
  | { readonly kind: 'tone'; readonly tone: Tone; readonly ratio: number }
  | { readonly kind: 'response'; readonly response: Response }
  /** Moved by a frequency ratio, in time to the frame. */
  | {
      readonly kind: 'vocoded';
      readonly as: VocodedKind;
      readonly ratio: number;
      /** The block of it at which its phases begin anew, where it is wanted at once and for a moment only. */
      readonly anewAt?: number;
    }
  /** Not sound but a gain from 0 to 1: how far the width is open. */
  | { readonly kind: 'opening'; readonly opening: Opening };

/** How a drive moves along the song, of which the source is heard later. */
export interface DriveMoves {
  readonly curve: Curve;
  /** Null where the curve goes by no beats, or the song has none. */
  readonly tempo: Tempo | null;
  readonly laterFrames: number;
}

/** A source that is made of another one. */
export interface MadeSource extends PcmSource {
  readonly from: PcmSource;
  readonly step: MakingStep;
  readonly rateHz: number;
}

export function madeSource(from: PcmSource, step: MakingStep, rateHz: number): MadeSource {
  const { kind, ...settings } = step;
  const said = JSON.stringify(settings);
  const block = blockOf(step);
  return {
    // What is long is told by its hash: keys travel and are compared all the time.
    key: `${from.key}>${kind}${makingVersion}${said.length > longestSaid ? hashOf(said) : said}`,
    frames: step.kind === 'arranged' ? step.arrangement.frames : from.frames,
    from,
    step,
    rateHz,
    ...(block === undefined ? {} : { block }),
  };
}

/**
 * How long the blocks are in which it is made, where that is not the usual: what belongs to an amp chain comes in short ones, unless what it is heard
 * through rings on longer than they are; what is wanted at once in shorter ones.
 */
function blockOf(step: MakingStep): number | undefined {
  switch (step.kind) {
    case 'drive':
    case 'body':
      return shortBlockFrames;
    case 'vocoded':
      return step.anewAt === undefined ? undefined : briefBlockFrames;
    case 'cabinet':
      return 'kind' in step.cabinet || step.cabinet.impulse.frames <= shortBlockFrames
        ? shortBlockFrames
        : undefined;
    default:
      return undefined;
  }
}

const longestSaid = 2000;

function hashOf(text: string): string {
  return bytesToHex(sha256(utf8ToBytes(text)));
}

export function isMade(source: PcmSource): source is MadeSource {
  return 'step' in source;
}

/** A source that is tuned by a vocoder. */
export type VocodedSource = MadeSource & {
  readonly step: Extract<MakingStep, { readonly kind: 'vocoded' }>;
};

export function isVocoded(source: PcmSource): source is VocodedSource {
  return isMade(source) && source.step.kind === 'vocoded';
}

/** Whether it is heard for a moment only, until what is exported is there. Told by its blocks: where it plays nobody knows how it is made. */
export function isBrief(source: PcmSource): boolean {
  return source.block === briefBlockFrames;
}
