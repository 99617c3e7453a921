import { failure, success, type Outcome } from '@pannet/core/outcome';
import { openTake, type OpenWav } from './wav-file.ts';

/** One channel of a file, which is what a take is. */
export interface OpenedTake extends OpenWav {
  readonly channel: number;
  /** As it is named in what is said: with its side, where the file has two. */
  readonly name: string;
}

const side = /^(.+)#([12])$/;

/** The file of “FILE.wav” or “FILE.wav#2”. */
export function takePath(words: string): string {
  return side.exec(words)?.[1] ?? words;
}

/**
 * Opens what a --take names: one side of a file, or all of it, which is two takes where it is stereo, left then right.
 * @param rateHz what it is converted to; undefined keeps its own
 */
export async function openTakes(
  words: string,
  rateHz: number | undefined,
  say: (line: string) => void,
): Promise<Outcome<OpenedTake[]>> {
  const path = takePath(words);
  const asked = Number(side.exec(words)?.[2] ?? 0);
  const opened = await openTake(path, rateHz);
  if (!opened.ok) return opened;
  const { layout, remarks } = opened.value;
  remarks.forEach((remark) => say(remark));
  if (layout.channels > 2 || asked > layout.channels) {
    await opened.value.close();
    return layout.channels > 2
      ? failure('too-many-channels', `“${path}” has ${layout.channels} channels; a take has one.`)
      : failure('no-channel', `“${path}” is mono: it has no side ${asked}.`);
  }
  const take = (channel: number): OpenedTake => ({
    ...opened.value,
    channel,
    name: layout.channels > 1 ? `${path}#${channel + 1}` : path,
  });
  if (asked > 0) return success([take(asked - 1)]);
  if (layout.channels === 1) return success([take(0)]);
  say(`“${path}” is stereo: it counts as two takes, left then right.`);
  return success([take(0), take(1)]);
}

/** Both sides of a file have one handle. */
export async function closeTakes(takes: readonly OpenedTake[]): Promise<void> {
  for (const bytes of new Set(takes.map((take) => take.bytes)))
    await takes.find((take) => take.bytes === bytes)?.close();
}
