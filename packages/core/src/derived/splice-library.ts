import { cents, centsToRatio } from '../quantities/units.ts';
import type { Song } from '../song/song.ts';
import { partsInOrder, recordingOf } from '../song/song.ts';
import type { SplicePlan } from '../voices/splices.ts';
import type { PcmSource } from '../sources/blocks.ts';

/** Raised whenever the same source and tuning would give another plan. */
const spliceAlgorithm = 1;

/** What has to be computed from PCM before a tuned voice can sound. */
export interface SpliceNeed {
  /** Content hash and channel, tuning, version of the algorithm. */
  readonly key: string;
  readonly source: PcmSource;
  readonly ratio: number;
}

/** Splice plans by key. */
export type SpliceLibrary = ReadonlyMap<string, SplicePlan>;

export function spliceKey(sourceKey: string, tuningCents: number): string {
  return `${sourceKey}/${tuningCents}c/${spliceAlgorithm}`;
}

/** All plans that a song needs, each once. */
export function spliceNeeds(song: Song): SpliceNeed[] {
  const needs = new Map<string, SpliceNeed>();
  for (const part of partsInOrder(song))
    for (const voice of part.image.voices) {
      if (voice.tuner.cents === 0) continue;
      const take = part.takes[voice.take - 1];
      const source = takeSource(song, take);
      const key = spliceKey(source.key, voice.tuner.cents);
      needs.set(key, { key, source, ratio: centsToRatio(cents(voice.tuner.cents)) });
    }
  return [...needs.values()];
}

export function takeSource(song: Song, take: { recording: string; channel: number }): PcmSource {
  return {
    key: sourceKey(take.recording, take.channel),
    frames: recordingOf(song, take).frames,
  };
}

export function sourceKey(recording: string, channel: number): string {
  return `${recording}:${channel}`;
}
