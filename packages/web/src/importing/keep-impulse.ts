import { mostImpulseSeconds } from '@pannet/core/amps/amp';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { failure, success, type Outcome } from '@pannet/core/outcome';
import { tooLong, type Recording } from '@pannet/core/song/song';
import { bytesOfFile } from './bytes-of-file.ts';
import { keepFile } from './import-files.ts';

/** As it is kept, and what is to be said of it. */
export interface KeptImpulse {
  readonly recording: Recording;
  readonly remark: string;
}

/**
 * Checks an impulse response and sends it to the server, at the song's rate; what is none is refused before anything is sent.
 * @param tell told the share done
 */
export async function keepImpulse(
  file: File,
  rateHz: number,
  signal: AbortSignal,
  tell: (share: number) => void,
): Promise<Outcome<KeptImpulse>> {
  const layout = await readWavLayout(bytesOfFile(file), file.name);
  if (!layout.ok)
    return failure(
      layout.error.code,
      `“${file.name}” cannot be an impulse response, which is a WAV file: ${layout.error.sentence}`,
    );
  const { frames, rateHz: own, channels } = layout.value;
  if (frames > mostImpulseSeconds * own)
    return failure('long-impulse', tooLong(file.name, frames / own));
  const kept = await keepFile(file, rateHz, signal, ({ share }) => tell(share));
  if ('taken' in kept) return failure('not-kept', kept.sentence);
  const left = channels > 1 ? ' Its left channel alone: the right one is left out.' : '';
  const rate =
    own === rateHz ? '' : ` Converted from ${own} to ${rateHz} Hz, the rate of the song.`;
  return success({
    recording: kept,
    remark: `“${file.name}” is an impulse response of the song now, made as loud as nothing.${left}${rate}`,
  });
}
