import { figure, plural } from '../quantities/wording.ts';
import { recordingOf, type Part, type Song } from '../song/song.ts';
import { isStruck, sourceOf, type Source } from '../song/fitting-recipes.ts';
import { delayInMs, type Voice } from '../voices/voice.ts';
import type { Finding } from './finding.ts';

/**
 * From this delay on a copy is heard as an echo of its own: some 5 to 10 ms for clicks, 30 to 50 ms for speech, more for
 * sustained music (Litovsky, Colburn, Yost, Guzman: The precedence effect, JASA 106 (1999), table I; from memory, rounded).
 */
export function echoThresholdMs(source: Source): number {
  const { family } = source;
  if (isStruck(source)) return 12;
  if (family === 'bowed' || family === 'keys') return 50;
  if (family === 'voice') return 35;
  return 40;
}

/** A copy that lies further under the loudest voice is not heard apart: common practice. */
const heardWithinDb = 15;
/** Sides that may be further apart than this lose more than 2 dB where they are: 20·log10(cos(Δφ/2)). */
const safeSpreadDegrees = 75;

/** What the source and the voices say before anything is measured. */
export function sourceFindings(song: Song, part: Part): Finding[] {
  return [
    ...echoes(song, part),
    ...clipping(song, part),
    ...drivenDoubles(song, part),
    ...strongSpreads(part),
  ];
}

/** Voices that are heard beside the loudest one. */
export function heardVoices({ image }: Part): Voice[] {
  const sounding = image.voices.filter(({ muted }) => !muted);
  const loudest = Math.max(...sounding.map(({ levelDb }) => levelDb));
  return sounding.filter(({ levelDb }) => levelDb > loudest - heardWithinDb);
}

/** The last of the voices that are heard, and by how much it comes after the first; null for a single one. */
export function latestVoice(
  song: Song,
  part: Part,
): { readonly voice: Voice; readonly apartMs: number } | null {
  const rateHz = song.rateHz ?? 48_000;
  const voices = heardVoices(part);
  if (voices.length < 2) return null;
  const arrival = ({ delay, drift }: Voice) => delayInMs(delay, rateHz) + drift.rangeMs;
  const first = Math.min(...voices.map(({ delay }) => delayInMs(delay, rateHz)));
  const voice = voices.reduce((latest, other) =>
    arrival(other) > arrival(latest) ? other : latest,
  );
  return { voice, apartMs: arrival(voice) - first };
}

function echoes(song: Song, part: Part): Finding[] {
  const source = sourceOf(song, part);
  const threshold = echoThresholdMs(source);
  const latest = latestVoice(song, part);
  if (!latest || latest.apartMs <= threshold) return [];
  const kind = isStruck(source) ? 'a struck source' : 'this source';
  return [
    {
      code: 'echo',
      sentence: `“${latest.voice.name}” comes ${figure(latest.apartMs, 1)} ms after the first voice: of ${kind} that is heard as an echo from some ${figure(threshold, 0)} ms on.`,
    },
  ];
}

function clipping(song: Song, part: Part): Finding[] {
  return part.takes.flatMap((take): Finding[] => {
    const { fileName, facts } = recordingOf(song, take);
    if (!facts || facts.clippedRuns === 0) return [];
    return [
      {
        code: 'clipped',
        sentence: `“${fileName}” is clipped ${plural(facts.clippedRuns, 'time')} as it was recorded: no image mends that.`,
      },
    ];
  });
}

/** Voices of a driven take that are its copies, apart from one: what doubles it. */
export function drivenCopies(song: Song, part: Part): Voice[] {
  const panned = heardVoices(part).filter(
    ({ placement, take }) =>
      placement.kind === 'pan' && recordingOf(song, part.takes[take - 1]).facts?.driven,
  );
  return panned.filter((voice, n) => panned.findIndex(({ take }) => take === voice.take) !== n);
}

function drivenDoubles(song: Song, part: Part): Finding[] {
  const copies = drivenCopies(song, part);
  if (copies.length === 0) return [];
  return [
    {
      code: 'driven',
      sentence: `The take is driven already, and ${plural(copies.length, 'copy', 'copies')} of it ${copies.length === 1 ? 'doubles' : 'double'} its distortion, which sounds false. Mirrored voices, phase spreading or the clean signal serve better.`,
    },
  ];
}

function widestSpread({ image }: Part): number {
  const degrees = image.voices.flatMap(({ placement, muted }) =>
    placement.kind === 'spread' && !muted ? [placement.degrees] : [],
  );
  return Math.max(0, ...degrees);
}

/** What phase spreading loses in the fold where its sides are furthest apart: −20·log10(cos(Δφ/2)). */
export function widestSpreadDb(part: Part): number {
  return 0 - 20 * Math.log10(Math.cos((widestSpread(part) * Math.PI) / 360));
}

function strongSpreads(part: Part): Finding[] {
  const most = widestSpread(part);
  if (most <= safeSpreadDegrees) return [];
  return [
    {
      code: 'spread-too-strong',
      sentence: `The phase spreading is too strong: sides ${figure(most, 0)}° apart lose ${figure(widestSpreadDb(part), 1)} dB in the fold where they are; up to ${safeSpreadDegrees}° it is 2 dB.`,
    },
  ];
}
