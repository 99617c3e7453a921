import { cents, centsToRatio } from '../quantities/units.ts';
import type { Song } from '../song/song.ts';
import { partsInOrder } from '../song/song.ts';
import type { SplicePlan } from '../voices/splices.ts';
import type { PcmSource } from '../sources/blocks.ts';
import { takeSource } from './take-source.ts';
import {
  splicedAs,
  tuningCents,
  type SplicedKind,
  type Tuner,
  type Voice,
} from '../voices/voice.ts';

/** Raised whenever the same source and tuning would give another plan. */
const spliceAlgorithm = 5;

/** What has to be computed from PCM before a tuned voice can sound. */
export interface SpliceNeed {
  /** Content hash and channel, tuning, version of the algorithm. */
  readonly key: string;
  readonly source: PcmSource;
  readonly kind: SplicedKind;
  readonly ratio: number;
}

/** Splice plans by key. */
export type SpliceLibrary = Pick<ReadonlyMap<string, SplicePlan>, 'get'>;

export function spliceKey(sourceKey: string, tuner: Tuner): string {
  return `${sourceKey}/${tuner.kind}${tuningCents(tuner)}c/${spliceAlgorithm}`;
}

export function tuningRatio(tuner: Tuner): number {
  return centsToRatio(cents(tuningCents(tuner)));
}

/** The plans that voices over these takes need, each once. */
export function voiceNeeds(voices: readonly Voice[], takes: readonly PcmSource[]): SpliceNeed[] {
  const needs = new Map<string, SpliceNeed>();
  for (const voice of voices) {
    const kind = splicedAs(voice);
    if (!kind) continue;
    const source = takes[voice.take - 1];
    const key = spliceKey(source.key, voice.tuner);
    needs.set(key, { key, source, kind, ratio: tuningRatio(voice.tuner) });
  }
  return [...needs.values()];
}

/** All plans that a song needs, each once. */
export function spliceNeeds(song: Song): SpliceNeed[] {
  const needs = partsInOrder(song).flatMap((part) =>
    voiceNeeds(
      part.image.voices,
      part.takes.map((take) => takeSource(song, take)),
    ),
  );
  return [...new Map(needs.map((need) => [need.key, need])).values()];
}
