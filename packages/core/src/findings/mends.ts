import { checkImage, freeVoiceId, imageDescription, isAnchor, type Image } from '../image/image.ts';
import type { Stage } from '../image/stage.ts';
import { clampParameter } from '../parameters/parameter.ts';
import { read } from '../parameters/reading.ts';
import { stageParameters, voiceParameters } from '../parameters/tables.ts';
import { seededRandom } from '../signal/random.ts';
import { sourceOf } from '../song/fitting-recipes.ts';
import { rateOf, type Part, type Song } from '../song/song.ts';
import { newVoice, type Voice } from '../voices/voice.ts';
import { linedUpChains, withChanges } from './chains.ts';
import type { FindingCode } from './finding.ts';
import { mostPeakDbtp } from './findings.ts';
import type { PartFigures } from './part-figures.ts';
import { drivenCopies, echoThresholdMs, latestVoice } from './source-findings.ts';
import { movable, variation, type MayChange } from './variations.ts';

const { abs, max, min, round } = Math;

/**
 * Images that may mend what was found, likelier ones first: each of them one that the part may have. Which of them does is
 * measured.
 */
export function mendsFor(
  code: FindingCode,
  song: Song,
  part: Part,
  figures: PartFigures,
): readonly Image[] {
  return candidates(code, song, part, figures).flatMap((image) => {
    const fitting = withinLevels(image);
    const checked = read(imageDescription, fitting);
    return checked.ok && checkImage(checked.value, rateOf(song), part.takes.length).ok
      ? [fitting]
      : [];
  });
}

/** A voice that would be too loud stays where it may be, and all others with the trim keep their distance to it. */
function withinLevels(image: Image): Image {
  const { max: most } = voiceParameters.levelDb;
  const over = max(0, ...image.voices.map(({ levelDb }) => levelDb - most));
  if (over === 0) return image;
  const lowered = image.voices.map((voice) => ({
    ...voice,
    levelDb: clampParameter(voiceParameters.levelDb, round((voice.levelDb - over) * 10) / 10),
  }));
  return trimmed({ ...image, voices: lowered }, over);
}

function candidates(
  code: FindingCode,
  song: Song,
  part: Part,
  figures: PartFigures,
): readonly Image[] {
  const { image } = part;
  const rateHz = song.rateHz ?? 48_000;
  switch (code) {
    case 'silent':
    case 'one-sided':
    case 'drops-out':
    case 'clipped':
    case 'dc':
    case 'hum':
    case 'nothing-wrong':
      return [];
    case 'over-peak': {
      const over = (figures.report.truePeakDbtp ?? 0) - mostPeakDbtp;
      return [trimmed(image, -over - 0.1)];
    }
    case 'level-flatters': {
      const louder = (figures.report.loudnessLufs ?? 0) - (figures.plain.lufs ?? 0);
      return [trimmed(image, -louder)];
    }
    case 'still-mono':
      return fromMono(image);
    case 'only-a-copy':
      return [
        ...[5, -5, 7, -7, 10].map((cents) => flanks(image, (voice) => tuned(voice, cents))),
        ...[3, 6].map((rangeMs) => flanks(image, (voice) => drifting(voice, rangeMs))),
      ];
    case 'cancels':
      return [
        ...image.voices.map((voice) => withVoice(image, voice.id, turned(voice))),
        // Sides that are the same once they are turned need something that makes them differ.
        ...image.voices.flatMap((voice) => fromMono(withVoice(image, voice.id, turned(voice)))),
        ...[50, 25].map((widthPercent) => staged(image, { widthPercent })),
      ];
    case 'hollow':
    case 'drops':
    case 'cancels-in-places':
      return [
        ...mirroredInstead(image),
        ...around(image, rateHz, 20, { placement: code === 'drops' }),
      ];
    case 'leads':
      return [...mirroredInstead(image), ...around(image, rateHz, 8, { placement: true })];
    case 'leans':
      return evened(image, figures.report.leanDb ?? 0);
    case 'echo':
      return sooner(song, part);
    case 'low-wide':
    case 'low-lost':
    case 'low-soft':
      return [
        ...[120, 160, 200].flatMap((hz) =>
          (['anchor', 'difference'] as const).map((kind) =>
            staged(image, { lowMono: { hz, kind } }),
          ),
        ),
        {
          ...image,
          voices: image.voices.map((voice) => ({
            ...voice,
            tone: { ...voice.tone, lowCutHz: null },
          })),
        },
      ];
    case 'chorusing':
      return calmer(image);
    case 'too-wide':
      return [-0, -1, -2].map((goalDb) => {
        const over = (figures.report.sideToMidDb ?? 0) - goalDb;
        const widthPercent = max(0, round(image.stage.widthPercent * 10 ** (-over / 20)));
        return staged(image, { widthPercent });
      });
    case 'spread-too-strong':
      return [75, 70, 60].map((degrees) => ({
        ...image,
        voices: image.voices.map((voice): Voice =>
          voice.placement.kind === 'spread' && voice.placement.degrees > degrees
            ? { ...voice, placement: { kind: 'spread', degrees } }
            : voice,
        ),
      }));
    case 'squash-differs':
      return evenlyColoured(image);
    case 'chains-apart':
      return inLine(image, figures, rateHz);
    // Found by trying drives, and by other moves: see find-mend.ts.
    case 'sides-uneven':
    case 'motion-dies':
      return [];
    case 'driven':
      return undoubled(song, part);
  }
}

/**
 * Which width a mend has to leave as it is. Where the fault is the width itself, or its want, it cannot: drop, cancellation and
 * S over M are then one and the same; sides that are opposite in places are too wide there. Where the low end is at fault,
 * the width above it is kept.
 */
export function keptWidth(code: FindingCode): 'all' | 'above the low end' | 'none' {
  switch (code) {
    case 'still-mono':
    case 'cancels':
    case 'cancels-in-places':
    case 'too-wide':
    case 'spread-too-strong':
    case 'drops':
    case 'sides-uneven':
    case 'chains-apart':
    case 'motion-dies':
      return 'none';
    case 'low-wide':
    case 'low-lost':
    case 'low-soft':
      return 'above the low end';
    default:
      return 'all';
  }
}

/** Both chains brought into time and to one polarity. */
function inLine(image: Image, { chains }: PartFigures, rateHz: number): readonly Image[] {
  const [first, second] = (chains?.voices ?? []).map((id) =>
    image.voices.find((voice) => voice.id === id),
  );
  if (!chains?.offset || !first || !second) return [];
  return [withChanges(image, linedUpChains(first, second, chains.offset, rateHz))];
}

function staged(image: Image, changes: Partial<Stage>): Image {
  return { ...image, stage: { ...image.stage, ...changes } };
}

function trimmed(image: Image, byDb: number): Image {
  const trimDb = round((image.stage.trimDb + byDb) * 10) / 10;
  return staged(image, { trimDb: clampParameter(stageParameters.trimDb, trimDb) });
}

function withVoice(image: Image, id: string, changed: Voice): Image {
  return { ...image, voices: image.voices.map((voice) => (voice.id === id ? changed : voice)) };
}

/** All that is movable, changed. */
function flanks(image: Image, change: (voice: Voice, n: number) => Voice): Image {
  const moved = movable(image).map(({ id }) => id);
  return {
    ...image,
    voices: image.voices.map((voice) =>
      moved.includes(voice.id) ? change(voice, moved.indexOf(voice.id)) : voice,
    ),
  };
}

function tuned(voice: Voice, cents: number): Voice {
  return { ...voice, tuner: { ...voice.tuner, cents, mixPercent: 100 } };
}

function drifting(voice: Voice, rangeMs: number): Voice {
  return { ...voice, drift: { ...voice.drift, rangeMs, rateHz: 0.6 } };
}

function turned(voice: Voice): Voice {
  return { ...voice, polarity: voice.polarity === 'normal' ? 'inverted' : 'normal' };
}

/** Two sides that are the same get something that makes them differ. */
function fromMono(image: Image): Image[] {
  const id = freeVoiceId(image.voices);
  const late = newVoice(id, 'difference', {
    placement: { kind: 'mirror' },
    delay: { value: 14, unit: 'ms' },
  });
  const added = [-3, -6].map((levelDb) => ({
    ...image,
    voices: [...image.voices, { ...late, levelDb }],
  }));
  const doubled = flanks(image, (voice, n) => ({
    ...tuned(voice, n % 2 ? -7 : 7),
    delay: { value: 11 + 6 * n, unit: 'ms' },
  }));
  return [...(movable(image).length > 0 ? [doubled] : []), ...added];
}

/** A pair, early on one side and late on the other, as the early one in the middle and the late one mirrored. */
function mirroredInstead(image: Image): Image[] {
  const late = movable(image).filter(({ placement }) => placement.kind === 'pan');
  const early = image.voices.find(
    ({ muted, id }) => !muted && late.every((voice) => voice.id !== id),
  );
  if (!early || late.length !== 1 || early.placement.kind !== 'pan') return [];
  const [copy] = late;
  return [0, -1, 1].map((by) => ({
    ...image,
    voices: image.voices.map((voice): Voice => {
      if (voice.id === early.id) return { ...voice, placement: { kind: 'pan', panPercent: 0 } };
      if (voice.id !== copy.id) return voice;
      return { ...voice, placement: { kind: 'mirror' }, levelDb: voice.levelDb + by };
    }),
  }));
}

/** Images near to this one, from a fixed seed. */
function around(image: Image, rateHz: number, count: number, may: Partial<MayChange>): Image[] {
  const random = seededRandom(11);
  const all = {
    delay: true,
    cents: true,
    polarity: false,
    placement: false,
    mirrored: true,
    ...may,
  };
  return Array.from({ length: count }, (_, n) =>
    variation(image, all, rateHz, 0.25 + (0.75 * n) / count, random),
  );
}

/** Sides as heavy as each other: by the balance, or by the levels of the voices. */
function evened(image: Image, leanDb: number): Image[] {
  const balance = (1 - 10 ** (-abs(leanDb) / 20)) * 100 * (leanDb > 0 ? 1 : -1);
  const moved = (share: number): Image => ({
    ...image,
    voices: image.voices.map((voice) => {
      if (voice.placement.kind !== 'pan' || isAnchor(voice)) return voice;
      const heavy = voice.placement.panPercent < 0 === leanDb > 0;
      const by = abs(leanDb) * share * (heavy ? -1 : 1);
      return { ...voice, levelDb: round((voice.levelDb + by) * 10) / 10 };
    }),
  });
  const balancePercent = clampParameter(
    stageParameters.balancePercent,
    round(image.stage.balancePercent + balance),
  );
  return [moved(0.5), staged(image, { balancePercent }), moved(0.75), moved(0.35)];
}

/** What comes too late, some way before it is heard as an echo. */
function sooner(song: Song, part: Part): Image[] {
  const threshold = echoThresholdMs(sourceOf(song, part));
  const images: Image[] = [];
  for (const share of [0.85, 0.7, 0.5, 0.35]) {
    let image = part.image;
    // Each round takes the latest one that is still too late.
    for (let n = 0; n < part.image.voices.length; n++) {
      const latest = latestVoice(song, { ...part, image });
      if (!latest || latest.apartMs <= threshold * share + 0.05) break;
      const { delay, id, drift } = latest.voice;
      const rateHz = song.rateHz ?? 48_000;
      const delayMs = delay.unit === 'ms' ? delay.value : (delay.value * 1000) / rateHz;
      const value = round((delayMs - (latest.apartMs - threshold * share)) * 10) / 10;
      image = withVoice(image, id, {
        ...latest.voice,
        delay: { value, unit: 'ms' },
        drift: { ...drift, rangeMs: min(drift.rangeMs, threshold / 4) },
      });
    }
    images.push(image);
  }
  return images;
}

/** Fewer cents; then all of a half tuned voice tuned, and tuned voices lower. */
function calmer(image: Image): Image[] {
  const each = (change: (voice: Voice) => Voice) => ({
    ...image,
    voices: image.voices.map((voice) => (voice.tuner.cents === 0 ? voice : change(voice))),
  });
  const fewer = (share: number) =>
    each((voice) => {
      const cents = round(voice.tuner.cents * share) || Math.sign(voice.tuner.cents);
      return { ...voice, tuner: { ...voice.tuner, cents } };
    });
  return [fewer(0.6), fewer(0.4), fewer(0.25), each((voice) => tuned(voice, voice.tuner.cents))];
}

/** Every voice with the colour of another one, and without any. */
function evenlyColoured(image: Image): Image[] {
  const colours = image.voices.map(({ colour }) => colour);
  const all = [...colours, { oddPercent: 0, evenPercent: 0 }];
  return all.map((colour) => ({
    ...image,
    voices: image.voices.map((voice) => ({ ...voice, colour })),
  }));
}

/** Copies of a driven take as mirrored voices, or the take spread by phase. */
function undoubled(song: Song, part: Part): Image[] {
  const copies = drivenCopies(song, part).map(({ id }) => id);
  return [0, -2, 2].map((by) => ({
    ...part.image,
    voices: part.image.voices.map((voice): Voice => {
      if (copies.includes(voice.id))
        return { ...voice, placement: { kind: 'mirror' }, levelDb: voice.levelDb + by };
      const doubled = voice.placement.kind === 'pan' && copies.length > 0;
      return doubled ? { ...voice, placement: { kind: 'pan', panPercent: 0 } } : voice;
    }),
  }));
}
