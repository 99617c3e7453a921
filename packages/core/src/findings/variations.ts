import type { Image } from '../image/image.ts';
import { clampParameter } from '../parameters/parameter.ts';
import { tunerParameters, voiceParameters } from '../parameters/tables.ts';
import { figure, signedFigure } from '../quantities/wording.ts';
import { delayInMs, type Placement, type Voice } from '../voices/voice.ts';

/** What a search may change. */
export interface MayChange {
  readonly delay: boolean;
  readonly cents: boolean;
  readonly polarity: boolean;
  readonly placement: boolean;
  /** How loud mirrored voices are. */
  readonly mirrored: boolean;
}

export const allMayChange: MayChange = {
  delay: true,
  cents: true,
  polarity: true,
  placement: true,
  mirrored: true,
};

type Random = () => number;

const round = (value: number, step: number) => Math.round(value / step) * step;
const pick = <Thing>(things: readonly Thing[], random: Random) =>
  things[Math.min(things.length - 1, Math.floor(random() * things.length))];

/** Voices but the first that sounds are what is moved: it keeps its time, so that the part does. */
export function movable(image: Image, rateHz = 48_000): Voice[] {
  const sounding = image.voices.filter(({ muted }) => !muted);
  const arrival = ({ delay }: Voice) => delayInMs(delay, rateHz);
  const earliest = Math.min(...sounding.map(arrival));
  const first = sounding.find((voice) => arrival(voice) === earliest);
  return sounding.filter((voice) => voice !== first);
}

/**
 * The image with one or two of its voices changed a little or much, as far as it may be: a step of a search.
 * @param reach 0 to 1: how far from what is there
 */
export function variation(
  image: Image,
  may: MayChange,
  rateHz: number,
  reach: number,
  random: Random,
): Image {
  const voices = movable(image, rateHz);
  if (voices.length === 0) return image;
  let changed = image;
  const times = random() < 0.5 ? 1 : 2;
  for (let n = 0; n < times; n++) {
    const { id } = pick(voices, random);
    changed = {
      ...changed,
      voices: changed.voices.map((voice) =>
        voice.id === id ? varied(voice, may, rateHz, reach, random) : voice,
      ),
    };
  }
  return changed;
}

function varied(
  voice: Voice,
  may: MayChange,
  rateHz: number,
  reach: number,
  random: Random,
): Voice {
  const ways: (() => Voice)[] = [];
  const delayMs = delayInMs(voice.delay, rateHz);
  const spread = (2 * random() - 1) * reach;
  if (may.delay)
    ways.push(() => {
      // Early and leading voices stay what they are: only how late a late one is changes.
      const value = Math.max(
        delayMs < 5 ? 0.1 : 5,
        round(delayMs * (1 + spread) + 8 * spread, 0.1),
      );
      const ms = clampParameter(voiceParameters.delayMs, Math.min(value, Math.max(delayMs, 35)));
      return { ...voice, delay: { value: round(ms, 0.1), unit: 'ms' } };
    });
  if (may.cents)
    ways.push(() => {
      const cents = clampParameter(
        tunerParameters.cents,
        Math.round(voice.tuner.cents + 14 * spread) || (spread < 0 ? -4 : 4),
      );
      return { ...voice, tuner: { ...voice.tuner, cents } };
    });
  if (may.polarity)
    ways.push(() => ({
      ...voice,
      polarity: voice.polarity === 'normal' ? 'inverted' : 'normal',
    }));
  if (may.placement && voice.placement.kind === 'pan')
    ways.push(() => ({ ...voice, placement: otherPlacement(voice.placement, random) }));
  if (may.mirrored && voice.placement.kind === 'mirror')
    ways.push(() => ({
      ...voice,
      levelDb: clampParameter(voiceParameters.levelDb, round(voice.levelDb + 6 * spread, 0.5)),
    }));
  return ways.length === 0 ? voice : pick(ways, random)();
}

function otherPlacement(placement: Placement, random: Random): Placement {
  if (placement.kind !== 'pan' || random() < 0.4) return { kind: 'mirror' };
  const percent = round(placement.panPercent * (0.6 + 0.4 * random()), 5);
  return { kind: 'pan', panPercent: percent };
}

/** What differs between two images of the same voices, in words. */
export function changesInWords(before: Image, after: Image, rateHz: number): string {
  const words: string[] = [];
  for (const voice of after.voices) {
    const old = before.voices.find(({ id }) => id === voice.id);
    if (!old) {
      words.push(`+ ${voice.name}`);
      continue;
    }
    const of: string[] = [];
    const [from, to] = [old, voice].map(({ delay }) => delayInMs(delay, rateHz));
    if (Math.abs(from - to) > 1e-6) of.push(`${figure(from, 1)} → ${figure(to, 1)} ms`);
    if (old.tuner.cents !== voice.tuner.cents)
      of.push(`${signedFigure(old.tuner.cents, 0)} → ${signedFigure(voice.tuner.cents, 0)} cents`);
    if (old.tuner.mixPercent !== voice.tuner.mixPercent)
      of.push(`tuned part ${figure(voice.tuner.mixPercent, 0)} %`);
    if (old.drift.rangeMs !== voice.drift.rangeMs)
      of.push(`drift ${figure(voice.drift.rangeMs, 1)} ms`);
    if (old.polarity !== voice.polarity)
      of.push(voice.polarity === 'inverted' ? 'polarity turned' : 'polarity as it was');
    if (JSON.stringify(old.placement) !== JSON.stringify(voice.placement))
      of.push(placementInWords(voice.placement));
    of.push(...ampInWords(old.amp, voice.amp));
    if (old.levelDb !== voice.levelDb) of.push(`${signedFigure(voice.levelDb, 1)} dB`);
    if (JSON.stringify([old.colour, old.tone]) !== JSON.stringify([voice.colour, voice.tone]))
      of.push('colour and tone');
    if (JSON.stringify(old.worn) !== JSON.stringify(voice.worn)) of.push('worn');
    if (of.length > 0) words.push(`${voice.name}: ${of.join(', ')}`);
  }
  if (JSON.stringify(before.drive) !== JSON.stringify(after.drive))
    words.push(
      after.drive ? `drive before all ${figure(after.drive.driveDb, 1)} dB` : 'no drive before all',
    );
  const { stage } = after;
  if (stage.lowMono.hz !== before.stage.lowMono.hz)
    words.push(
      stage.lowMono.hz === null ? 'low end as it is' : `mono under ${stage.lowMono.hz} Hz`,
    );
  if (stage.trimDb !== before.stage.trimDb) words.push(`trim ${signedFigure(stage.trimDb, 1)} dB`);
  if (stage.balancePercent !== before.stage.balancePercent)
    words.push(`balance ${signedFigure(stage.balancePercent, 0)} %`);
  if (stage.widthPercent !== before.stage.widthPercent)
    words.push(`width ${figure(stage.widthPercent, 0)} %`);
  return words.join(' · ') || 'as it is';
}

function ampInWords(before: Voice['amp'], after: Voice['amp']): string[] {
  if (!before || !after) return before === after ? [] : [after ? 'a chain' : 'no chain'];
  const differ = (key: keyof typeof before) =>
    JSON.stringify(before[key]) !== JSON.stringify(after[key]);
  const words: string[] = [];
  if (differ('driveDb'))
    words.push(`drive ${figure(before.driveDb, 1)} → ${figure(after.driveDb, 1)} dB`);
  if (differ('levelDb')) words.push(`output ${signedFigure(after.levelDb, 1)} dB`);
  if (differ('cabinet')) words.push(after.cabinet ? 'another cabinet' : 'no cabinet');
  const others = ['shape', 'inputDb', 'tone', 'squashPercent', 'recoveryMs'] as const;
  if (others.some(differ)) words.push('another chain');
  return words;
}

function placementInWords(placement: Placement): string {
  switch (placement.kind) {
    case 'mirror':
      return 'mirrored';
    case 'spread':
      return `spread by ${placement.degrees}°`;
    case 'pan':
      return placement.panPercent === 0
        ? 'middle'
        : `${placement.panPercent < 0 ? 'L' : 'R'} ${figure(Math.abs(placement.panPercent), 0)} %`;
  }
}
