import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { bytesInMemory } from '@pannet/core/formats/byte-source';
import { decodeAudio, resample } from '@pannet/core/sources/conversion';
import type { TunerKind } from '@pannet/core/voices/voice';
import { rateHz } from './material.ts';

/** Recordings of a package under CC0, fetched for this run alone. */
export const samplesPackage = 'sonic-pi-samples';

export interface Recorded {
  readonly what: string;
  readonly kind: TunerKind;
  readonly path: string;
  /** The first channel, at the bench's rate. */
  readonly samples: Float32Array;
  /** As it came. */
  readonly channels: readonly Float32Array[];
  readonly fromHz: number;
}

const recordings: readonly (readonly [file: string, kind: TunerKind, what: string])[] = [
  ['guit_em9', 'chords', 'guitar chord'],
  ['ambi_choir', 'chords', 'choir'],
  ['guit_e_fifths', 'chords', 'fifths'],
  ['ambi_piano', 'chords', 'piano'],
  ['guit_harmonics', 'chords', 'guitar harmonics'],
  ['ambi_drone', 'chords', 'drone'],
  ['guit_e_slide', 'single', 'guitar slide'],
  ['bass_thick_c', 'single', 'bass'],
  ['bass_trance_c', 'single', 'bright bass'],
  ['loop_perc1', 'struck', 'percussion'],
  ['drum_roll', 'struck', 'drum roll'],
  ['loop_amen_full', 'struck', 'drums'],
  ['loop_garzul', 'struck', 'drums and bass'],
];

/** All of them, or null where they cannot be fetched. */
export async function fetchRecordings(folder: string): Promise<Recorded[] | null> {
  const target = join(folder, 'samples');
  if (!existsSync(target)) {
    const words = `cd '${folder}' && apt-get download ${samplesPackage} && dpkg -x ${samplesPackage}_*.deb samples`;
    if (spawnSync('bash', ['-c', words]).status !== 0) return null;
  }
  const files = readdirSync(target, { recursive: true, encoding: 'utf8' });
  const found: Recorded[] = [];
  for (const [name, kind, what] of recordings) {
    const file = files.find((path) => basename(path) === `${name}.flac`);
    if (!file) continue;
    const path = join(target, file);
    const decoded = await decodeAudio(bytesInMemory(new Uint8Array(readFileSync(path))), file);
    if (!decoded.ok) throw new Error(decoded.error.sentence);
    const { channels, rateHz: fromHz } = decoded.value;
    const [samples] = await resample([channels[0]], fromHz, rateHz);
    found.push({ what, kind, path, samples, channels, fromHz });
  }
  return found;
}
