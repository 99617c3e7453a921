import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { bytesInMemory } from '@pannet/core/formats/byte-source';
import type { Family } from '@pannet/core/song/part';
import { decodeAudio, resample } from '@pannet/core/sources/conversion';
import { factsOf, type SourceFacts } from '@pannet/core/sources/facts';
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

/** What the package's samples are, by how their names begin; the others are noises of which nobody would say what they are. */
const kinds: readonly (readonly [Family, RegExp])[] = [
  ['struck', /^(bd|drum|sn|tabla|perc|glitch_perc)_/],
  [
    'struck',
    /^loop_(amen|breakbeat|compus|industrial|mika|electric|tabla|perc|safari|3d_printer|weirdo|garzul|mehackit)/,
  ],
  ['low', /^(bass|glitch_bass)_/],
  ['plucked', /^guit_/],
  ['keys', /^ambi_piano/],
  ['voice', /^ambi_choir/],
  ['other', /^ambi_/],
];

/** All samples of which it is known what they are, as they are read at import; after `fetchRecordings`. */
export async function labelledRecordings(
  folder: string,
): Promise<{ readonly file: string; readonly family: Family; readonly facts: SourceFacts }[]> {
  const target = join(folder, 'samples');
  const found = [];
  for (const path of readdirSync(target, { recursive: true, encoding: 'utf8' })) {
    const file = basename(path);
    const family = kinds.find(([, name]) => name.test(file))?.[0];
    if (!family || !file.endsWith('.flac')) continue;
    const bytes = new Uint8Array(readFileSync(join(target, path)));
    const decoded = await decodeAudio(bytesInMemory(bytes), file);
    if (!decoded.ok) throw new Error(decoded.error.sentence);
    const { channels, rateHz: fromHz } = decoded.value;
    found.push({ file, family, facts: factsOf(channels, fromHz) });
  }
  return found;
}

/** Unpacks a package of Debian's into a folder, once; nothing is installed. */
function unpacked(name: string, folder: string, into: string): boolean {
  if (existsSync(join(folder, into))) return true;
  const words = `cd '${folder}' && apt-get download ${name} && dpkg -x ${name}_*.deb ${into}`;
  return spawnSync('bash', ['-c', words]).status === 0;
}

/** Words spoken by a person, under the GPL. */
export const spokenPackage = 'alsa-utils';

/** Eight of these, one after the other, at the bench's rate; null where they cannot be fetched. */
export async function fetchSpoken(folder: string): Promise<Float32Array | null> {
  if (!unpacked(spokenPackage, folder, 'spoken')) return null;
  const files = readdirSync(join(folder, 'spoken'), { recursive: true, encoding: 'utf8' })
    .filter((path) => /(Front|Rear|Side)_[A-Za-z]+\.wav$/.test(path))
    .sort();
  const words: number[] = [];
  for (const file of files) {
    const bytes = new Uint8Array(readFileSync(join(folder, 'spoken', file)));
    const decoded = await decodeAudio(bytesInMemory(bytes), file);
    if (!decoded.ok) throw new Error(decoded.error.sentence);
    const { channels, rateHz: fromHz } = decoded.value;
    const [samples] = await resample([channels[0]], fromHz, rateHz);
    for (const sample of samples) words.push(sample);
  }
  return Float32Array.from(words);
}

/** All of them, or null where they cannot be fetched. */
export async function fetchRecordings(folder: string): Promise<Recorded[] | null> {
  const target = join(folder, 'samples');
  if (!unpacked(samplesPackage, folder, 'samples')) return null;
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
