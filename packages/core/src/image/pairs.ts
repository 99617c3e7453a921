import { newVoice, type Placement, type Voice } from '../voices/voice.ts';
import { freeVoiceId, isAnchor, mostVoices, type Image } from './image.ts';

const { abs } = Math;

/** Two voices that are mirror images of each other: what one side gets of place and cents the other gets the other way round. */
export type Pair = readonly [left: string, right: string];

/** What a pair is given at one press: cents down on the left and up on the right, and how late each comes. */
export interface PairFigures {
  readonly cents: number;
  readonly leftMs: number;
  readonly rightMs: number;
}

/** Common practice. */
export const usualFigures: readonly PairFigures[] = [
  { cents: 5, leftMs: 9, rightMs: 18 },
  { cents: 7, leftMs: 11, rightMs: 17 },
  { cents: 10, leftMs: 0, rightMs: 14 },
  { cents: 12, leftMs: 0, rightMs: 20 },
  { cents: 12, leftMs: 0, rightMs: 25 },
  ...[8, 14, 20, 25, 35].map((rightMs) => ({ cents: 0, leftMs: 0, rightMs })),
  { cents: 0, leftMs: 100, rightMs: 149 },
];

/** Where a voice stands, in a word. */
export function standsAt({ placement }: Voice): string {
  if (placement.kind === 'mirror') return 'mirrored';
  if (placement.kind === 'spread') return 'spread';
  if (placement.panPercent === 0) return 'middle';
  return placement.panPercent < 0 ? 'left' : 'right';
}

/** A name after where a voice stands that no other has: “left”, “left 2” … */
export function nameAfterPlace(voice: Voice, others: readonly Voice[]): string {
  const place = standsAt(voice);
  const taken = new Set(others.map(({ name }) => name));
  let name = place;
  for (let n = 2; taken.has(name); n++) name = `${place} ${n}`;
  return name;
}

function added(image: Image, voice: Voice): Image {
  const id = freeVoiceId(image.voices);
  return {
    ...image,
    voices: [...image.voices, { ...voice, id, name: nameAfterPlace(voice, image.voices) }],
  };
}

/** Whether so many voices more have room. */
export function hasRoom({ voices }: Image, more: number): boolean {
  return voices.length + more <= mostVoices;
}

/** The same voice once more, named after where it stands. */
export function duplicated(image: Image, voiceId: string): Image {
  const voice = image.voices.find(({ id }) => id === voiceId);
  return voice && hasRoom(image, 1) ? added(image, voice) : image;
}

/** What stands opposite: the other side, cents the other way round. What stands in the middle has no other side. */
export function opposite(voice: Voice): Voice {
  return {
    ...voice,
    placement: turned(voice.placement),
    tuner: { ...voice.tuner, cents: 0 - voice.tuner.cents },
  };
}

/** Whether there is another side: what stands in the middle or on both sides has none. */
export function hasOtherSide(voice: Voice): boolean {
  return voice.placement.kind === 'pan' && !isAnchor(voice);
}

/** A voice's copy on the other side. */
export function copiedAcross(image: Image, voiceId: string): Image {
  const voice = image.voices.find(({ id }) => id === voiceId);
  return voice && hasOtherSide(voice) && hasRoom(image, 1) ? added(image, opposite(voice)) : image;
}

/** Whether place and cents of two voices are each other's the other way round. */
export function areMirrorImages(one: Voice, other: Voice): boolean {
  const { placement, tuner } = opposite(other);
  return (
    tuner.cents === one.tuner.cents && JSON.stringify(placement) === JSON.stringify(one.placement)
  );
}

const hard = (side: -1 | 1): Placement => ({ kind: 'pan', panPercent: 100 * side });

/**
 * Two voices hard left and right, made from one; a plain one if it is left out.
 * @returns the image, and the ids of both; null where there is no room
 */
export function withPair(
  image: Image,
  voiceId: string | null,
): { readonly image: Image; readonly pair: Pair } | null {
  if (!hasRoom(image, 2)) return null;
  const from = image.voices.find(({ id }) => id === voiceId) ?? newVoice('v', 'voice');
  const left = added(image, { ...from, placement: hard(-1) });
  const both = added(left, {
    ...from,
    placement: hard(1),
    tuner: { ...from.tuner, cents: 0 - from.tuner.cents },
  });
  const [one, two] = both.voices.slice(-2);
  return { image: both, pair: [one.id, two.id] };
}

/** Gives a pair these figures. The voice of the left side goes down. */
export function withFigures(
  image: Image,
  [left, right]: Pair,
  { cents, leftMs, rightMs }: PairFigures,
): Image {
  const given = (voice: Voice, sign: -1 | 1, value: number): Voice => ({
    ...voice,
    delay: { value, unit: 'ms' },
    tuner: { ...voice.tuner, cents: cents === 0 ? 0 : sign * cents },
  });
  return {
    ...image,
    voices: image.voices.map((voice) => {
      if (voice.id === left) return given(voice, -1, leftMs);
      return voice.id === right ? given(voice, 1, rightMs) : voice;
    }),
  };
}

/**
 * What the other voice of a pair gets of a change: place and cents the other way round, as far as they were changed.
 * @param same the change as it would be for a voice that is edited together with it
 */
export function mirrored(
  voice: Voice,
  same: Partial<Voice>,
  changes: Partial<Voice>,
): Partial<Voice> {
  const { placement, tuner } = changes;
  return {
    ...same,
    ...(placement?.kind === 'pan' && { placement: turned(placement) }),
    ...(tuner &&
      same.tuner &&
      tuner.cents !== voice.tuner.cents && { tuner: { ...same.tuner, cents: 0 - tuner.cents } }),
  };
}

function turned(placement: Placement): Placement {
  return placement.kind === 'pan'
    ? { kind: 'pan', panPercent: 0 - placement.panPercent }
    : placement;
}

/** “10 c · 0 / 14 ms”. */
export function figuresText({ cents, leftMs, rightMs }: PairFigures): string {
  const late = `${leftMs} / ${rightMs} ms`;
  return cents === 0 ? late : `${abs(cents)} c · ${late}`;
}
