import { failure, type Outcome } from '../outcome.ts';
import { figure } from '../quantities/wording.ts';
import { channelSource, type PcmSource } from '../sources/blocks.ts';
import type { Room } from './room.ts';

const { min } = Math;

/** A response of the engineer's own is so long at most. */
export const mostResponseSeconds = 12;

/**
 * The sizes of the parts that a response is cut into, in frames: short ones at its beginning, so that nothing is late, and longer and longer ones
 * behind, so that little is to be done (Gardner, J. Audio Eng. Soc. 43, 1995).
 */
export const partSizes = [128, 512, 2048, 8192] as const;

/** Spectra of the parts of one side: for each `part + 1` values re, and as many im. */
export interface PartSpectra {
  readonly parts: number;
  readonly re: Float32Array;
  readonly im: Float32Array;
}

type Sides = readonly [PartSpectra, PartSpectra];

/** A response as a room rings by it. Structured-cloneable. */
export interface RoomResponse {
  readonly key: string;
  readonly frames: number;
  /** How long it takes to fall by 60 dB, in s; null where it does not fall by 25. */
  readonly decayS: number | null;
  /** Of each size of parts, of each side; of a response of one side both are the same things. */
  readonly levels: readonly Sides[];
}

export function responseBytes({ levels }: RoomResponse): number {
  return [...new Set(levels.flat())].reduce((sum, { re }) => sum + 2 * re.byteLength, 0);
}

export type ResponseLibrary = Pick<ReadonlyMap<string, RoomResponse>, 'get'>;

/** What has to be worked out before a room of a recorded response can ring. */
export interface ResponseNeed {
  readonly key: string;
  readonly channels: readonly PcmSource[];
  readonly decayPercent: number;
}

/** A recording of the song, as far as it matters here. */
interface Recorded {
  readonly hash: string;
  readonly fileName: string;
  readonly channels: number;
  readonly frames: number;
  readonly rateHz: number;
}

type Recordings = Readonly<Record<string, Recorded>>;

/** Raised whenever the same recording would give another response. */
const responseVersion = 1;

/** What a room needs; null for one that rings by itself, or names nothing that is there. */
export function responseNeed(
  { kind, own }: Pick<Room, 'kind' | 'own'>,
  recordings: Recordings,
): ResponseNeed | null {
  if (kind !== 'own' || own.recording === null) return null;
  if (!Object.hasOwn(recordings, own.recording)) return null;
  const recording = recordings[own.recording];
  const channels = Array.from({ length: min(2, recording.channels) }, (_, n) =>
    channelSource(recording, n),
  );
  return {
    key: `${recording.hash}/${own.decayPercent}/${responseVersion}`,
    channels,
    decayPercent: own.decayPercent,
  };
}

/** A response that a room of a song names and cannot have; null where there is none. */
export function refusedResponse(
  rooms: readonly Room[],
  recordings: Recordings,
): Outcome<never> | null {
  for (const [n, { own }] of rooms.entries()) {
    if (own.recording === null) continue;
    const place = `rooms[${n}].own.recording`;
    if (!Object.hasOwn(recordings, own.recording))
      return failure(
        'no-response',
        'A room rings by a recording that the song does not have.',
        place,
      );
    const { fileName, frames, rateHz } = recordings[own.recording];
    if (frames > mostResponseSeconds * rateHz)
      return failure('long-response', responseTooLong(fileName, frames / rateHz), place);
  }
  return null;
}

export function responseTooLong(fileName: string, seconds: number): string {
  return `A room's response is ${mostResponseSeconds} s long at most; “${fileName}” has ${figure(seconds, 2)} s.`;
}

/** All that the rooms of a song need, each once. */
export function responseNeeds(rooms: readonly Room[], recordings: Recordings): ResponseNeed[] {
  const needs = rooms.flatMap((room) => responseNeed(room, recordings) ?? []);
  return [...new Map(needs.map((need) => [need.key, need])).values()];
}
