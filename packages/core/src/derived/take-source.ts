import { rateOf, recordingOf, type Song, type Take } from '../song/song.ts';
import { channelSource, type PcmSource } from '../sources/blocks.ts';
import { alignedArrangement, clipsArrangement } from '../takes/arrangement.ts';
import { madeSource } from './made-source.ts';

/** What a take is put together of; a song that is dragged asks for it with every step. */
const made = new WeakMap<
  Take,
  { readonly raw: PcmSource; readonly rateHz: number; readonly source: PcmSource }
>();

/** A take as it is before its preparation: its recording's channel, clipped and in its place. */
export function takeSource(song: Song, take: Take): PcmSource {
  const raw = channelSource(recordingOf(song, take), take.channel);
  if (!take.clips && !take.align?.path) return raw;
  const rateHz = rateOf(song);
  const known = made.get(take);
  if (known?.raw.key === raw.key && known.raw.frames === raw.frames && known.rateHz === rateHz)
    return known.source;
  const source = arrangedSource(raw, take, rateHz);
  made.set(take, { raw, rateHz, source });
  return source;
}

/** The same of a source that is of no song. */
export function arrangedSource(
  raw: PcmSource,
  take: Pick<Take, 'clips' | 'align'>,
  rateHz: number,
): PcmSource {
  const arranged = (from: PcmSource, arrangement: ReturnType<typeof clipsArrangement>) =>
    arrangement ? madeSource(from, { kind: 'arranged', arrangement }, rateHz) : from;
  const clipped = arranged(raw, clipsArrangement(take, raw.frames, rateHz));
  return arranged(clipped, alignedArrangement(take, clipped.frames, rateHz));
}
