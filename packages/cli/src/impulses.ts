import { dirname, relative, resolve, sep } from 'node:path';
import { mostImpulseSeconds } from '@pannet/core/amps/amp';
import { impulsesOf } from '@pannet/core/image/image-file';
import type { Image } from '@pannet/core/image/image';
import { failure, success, type Outcome } from '@pannet/core/outcome';
import { tooLong } from '@pannet/core/song/song';
import { checkOutputs } from './paths.ts';
import { closeTakes, type OpenedTake } from './takes.ts';
import { openTake } from './wav-file.ts';

/** An impulse response that an image names. */
export interface OpenedImpulse extends OpenedTake {
  /** As the image calls it: a path from the folder of the image file. */
  readonly called: string;
}

/**
 * Opens the impulse responses that the chains of an image name, at a rate.
 * @param image path of the image file
 * @param outputs what is going to be written, which must be none of them
 */
export async function openImpulses(
  image: string,
  { voices, stage }: Image,
  rateHz: number,
  outputs: Parameters<typeof checkOutputs>[1],
  say: (line: string) => void,
): Promise<Outcome<OpenedImpulse[]>> {
  const opened: OpenedImpulse[] = [];
  const refuse = async (refused: Outcome<never>) => {
    await closeTakes(opened);
    return refused;
  };
  for (const called of impulsesOf({ voices, stage })) {
    const path = resolve(dirname(image), called);
    const apart = await checkOutputs([{ option: 'the impulse response', path }], outputs);
    if (!apart.ok) return refuse(apart);
    const file = await openTake(path, rateHz);
    if (!file.ok) return refuse(file);
    const { layout, remarks } = file.value;
    remarks.forEach((remark) => say(remark));
    opened.push({ ...file.value, channel: 0, name: path, called });
    const seconds = layout.frames / layout.rateHz;
    if (seconds > mostImpulseSeconds)
      return refuse(failure('long-impulse', tooLong(path, seconds), 'voices'));
    if (layout.channels > 1)
      say(`“${path}” has ${layout.channels} channels: its first one is the impulse response.`);
  }
  return success(opened);
}

/** The name of an impulse response in an image file that is written to another folder. */
export function calledFrom(image: string, out: string, called: string): string {
  const path = relative(dirname(out), resolve(dirname(image), called));
  return path.split(sep).join('/');
}
