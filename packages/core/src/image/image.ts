import * as z from 'zod';
import { failure, success, type Outcome } from '../outcome.ts';
import { sharedDriveDescription } from '../amps/shared-drive.ts';
import { thing, type Described } from '../parameters/description.ts';
import { checkVoice, newVoice, voiceDescription, type Voice } from '../voices/voice.ts';
import { neutralStage, stageDescription } from './stage.ts';

export const mostVoices = 16;

/** So many voices and no more. */
export function voicesOf<Of extends z.ZodType>(voice: Of) {
  return z.array(voice).max(mostVoices, {
    error: ({ input }) =>
      `An image has at most ${mostVoices} voices; it had ${(input as unknown[]).length}.`,
  });
}

/** The stereo picture of a part: its voices and its stage. */
export const imageDescription = thing({
  voices: voicesOf(voiceDescription),
  stage: stageDescription,
  /** In front of all voices; left out for none. */
  drive: sharedDriveDescription.optional(),
});
export type Image = Described<typeof imageDescription>;

/** One voice in the middle: sounds as plain does, sample for sample. */
export function neutralImage(): Image {
  return { voices: [newVoice('v1', 'centre')], stage: neutralStage };
}

const untouched = JSON.stringify(neutralImage());

/** Whether nobody has made anything of it yet. */
export function isUntouched(image: Image): boolean {
  return JSON.stringify(image) === untouched;
}

/** The first of `v1`, `v2` … that is free. */
export function freeVoiceId(voices: readonly Voice[]): string {
  let n = 1;
  while (voices.some((voice) => voice.id === `v${n}`)) n++;
  return `v${n}`;
}

/** Stays in the middle; all other voices are flanks. */
export function isAnchor(voice: Voice): boolean {
  return voice.placement.kind === 'pan' && voice.placement.panPercent === 0;
}

/** The voice that carries the low end where that is brought to the middle: the anchor, else the first one that sounds. */
export function lowVoice(image: Image): Voice | undefined {
  const sounding = image.voices.filter((voice) => !voice.muted);
  return sounding.find(isAnchor) ?? sounding.find(({ placement }) => placement.kind !== 'mirror');
}

/** The same image the other way round: left is right, and what is mirrored keeps its place. */
export function mirroredImage(image: Image): Image {
  return {
    ...image,
    voices: image.voices.map((voice) => ({
      ...voice,
      name: swappedName(voice.name),
      placement:
        voice.placement.kind === 'pan'
          ? { kind: 'pan', panPercent: 0 - voice.placement.panPercent }
          : voice.placement,
      polarity:
        voice.placement.kind === 'mirror'
          ? voice.polarity === 'normal'
            ? 'inverted'
            : 'normal'
          : voice.polarity,
    })),
    stage: { ...image.stage, balancePercent: 0 - image.stage.balancePercent },
  };
}

/** “left double” of an image turned round is the “right double”. */
function swappedName(name: string): string {
  return name.replace(/\b(left|right)\b/gi, (side) =>
    side.toLowerCase() === 'left' ? 'right' : 'left',
  );
}

/** What a described image may not be in a song of this rate, with so many takes to choose from. */
export function checkImage(
  image: Image,
  rateHz: number,
  takes: number,
  place = 'image',
): Outcome<Image> {
  const ids = new Set<string>();
  for (const [n, voice] of image.voices.entries()) {
    const at = place ? `${place}.voices[${n}]` : `voices[${n}]`;
    if (ids.has(voice.id))
      return failure('same-id', `Two voices have the id “${voice.id}”.`, `${at}.id`);
    ids.add(voice.id);
    const checked = checkVoice(voice, rateHz, takes, at);
    if (!checked.ok) return checked;
  }
  return success(image);
}
