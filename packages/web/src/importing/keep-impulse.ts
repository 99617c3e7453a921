import { mostImpulseSeconds } from '@pannet/core/amps/amp';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { failure, success, type Outcome } from '@pannet/core/outcome';
import { mostResponseSeconds, responseTooLong } from '@pannet/core/rooms/response';
import type { Edit } from '@pannet/core/song/edits/edit';
import { tooLong, type Recording, type Song } from '@pannet/core/song/song';
import { bytesOfFile } from './bytes-of-file.ts';
import { keepFile } from './import-files.ts';

/** As it is kept, and what is to be said of it. */
export interface KeptImpulse {
  readonly recording: Recording;
  readonly remark: string;
}

/** Puts a recording into a song that does not have it. */
export function puttingOf({ recordings }: Song, recording: Recording): Edit[] {
  return Object.hasOwn(recordings, recording.hash) ? [] : [{ kind: 'put-recording', recording }];
}

/** What a recorded response is for: how long it may be, how many of its sides count, and what is said of it. */
export interface ResponseUse {
  readonly called: string;
  readonly mostSeconds: number;
  readonly tooLong: (fileName: string, seconds: number) => string;
  readonly sides: 1 | 2;
}

export const forChain: ResponseUse = {
  called: 'an impulse response',
  mostSeconds: mostImpulseSeconds,
  tooLong,
  sides: 1,
};

export const forRoom: ResponseUse = {
  called: 'a response of a room',
  mostSeconds: mostResponseSeconds,
  tooLong: responseTooLong,
  sides: 2,
};

/**
 * Checks a recorded response and sends it to the server, at the song's rate; what is none is refused before anything is sent.
 * @param tell told the share done
 */
export async function keepImpulse(
  file: File,
  { called, mostSeconds, tooLong: sentence, sides }: ResponseUse,
  rateHz: number,
  signal: AbortSignal,
  tell: (share: number) => void,
): Promise<Outcome<KeptImpulse>> {
  const layout = await readWavLayout(bytesOfFile(file), file.name);
  if (!layout.ok)
    return failure(
      layout.error.code,
      `“${file.name}” cannot be ${called}, which is a WAV file: ${layout.error.sentence}`,
    );
  const { frames, rateHz: own, channels } = layout.value;
  if (frames > mostSeconds * own) return failure('long-impulse', sentence(file.name, frames / own));
  const kept = await keepFile(file, rateHz, signal, ({ share }) => tell(share));
  if ('taken' in kept) return failure('not-kept', kept.sentence);
  const left =
    channels > sides && sides === 1 ? ' Its left channel alone: the right one is left out.' : '';
  const rate =
    own === rateHz ? '' : ` Converted from ${own} to ${rateHz} Hz, the rate of the song.`;
  return success({
    recording: kept,
    remark: `“${file.name}” is ${called} now, made as loud as nothing.${left}${rate}`,
  });
}
