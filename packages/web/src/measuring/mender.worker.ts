import { evenedChains } from '@pannet/core/findings/chains';
import { findMend, type EvenChains } from '@pannet/core/findings/find-mend';
import { measurePart, type KnownPlain } from '@pannet/core/findings/measure-part';
import { findSafer, type Search } from '@pannet/core/findings/safer';
import type { Image } from '@pannet/core/image/image';
import { measureStereo } from '@pannet/core/measurement/report';
import { renderStretch } from '@pannet/core/rendering/offline';
import { partFrames, rateOf, type Song } from '@pannet/core/song/song';
import { planOfPart } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import { answer } from '../workers/ask.ts';
import type { Mended, ToMender } from './messages.ts';

const reader = new RecordingReader(96e6, 8);
const plains: KnownPlain = new Map();
/** The same search tries the same settings. */
const seed = 1;

/** Drives are tried over so much of the stretch. */
const evenSeconds = 8;

answer<ToMender, Mended, number | Search>(async (job, tell) => {
  const { song, partId, from, to, splices } = job;
  if (job.kind === 'mend') {
    const over = (start: number, end: number) => async (changed: Song) => {
      const plan = await planOfPart(changed, partId, reader, splices);
      return measurePart(plan, partId, reader.load, start, end, undefined, plains);
    };
    // As long a stretch behind the one at hand, or before it.
    const length = to - from;
    const start = [to, from - length].find(
      (frame) => frame >= 0 && frame + length <= partFrames(song, song.parts[partId]),
    );
    const elsewhere = start === undefined ? null : over(start, start + length);
    const even: EvenChains = (voices, tick) =>
      evenedChains(
        { song, partId, voices, from, to: Math.min(to, from + evenSeconds * rateOf(song)) },
        (changed) => planOfPart(changed, partId, reader, splices),
        reader.load,
        tick,
      );
    const measure = over(from, to);
    return { mend: await findMend(job.code, song, partId, measure, tell, elsewhere, even) };
  }
  const part = song.parts[partId];
  const measure = async (image: Image) => {
    const changed = { ...song, parts: { ...song.parts, [partId]: { ...part, image } } };
    const plan = await planOfPart(changed, partId, reader, splices);
    const { left, right } = await renderStretch(plan, partId, reader.load, from, to);
    return measureStereo(left, right, plan.rateHz).report;
  };
  const rateHz = song.rateHz ?? 48_000;
  for await (const search of findSafer(part.image, job.may, rateHz, seed, measure)) tell(search);
  return { mend: null };
});
