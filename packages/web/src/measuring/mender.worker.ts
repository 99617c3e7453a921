import { findMend } from '@pannet/core/findings/find-mend';
import { measurePart, type KnownPlain } from '@pannet/core/findings/part-figures';
import { findSafer } from '@pannet/core/findings/safer';
import type { Image } from '@pannet/core/image/image';
import { measureStereo } from '@pannet/core/measurement/report';
import { renderStretch } from '@pannet/core/rendering/offline';
import type { Song } from '@pannet/core/song/song';
import { planOfPart } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import type { FromMender, ToMender } from './messages.ts';

const reader = new RecordingReader(96e6, 8);
const plains: KnownPlain = new Map();
const post = (message: FromMender) => postMessage(message);
/** The same search tries the same settings. */
const seed = 1;

onmessage = ({ data }: MessageEvent<ToMender>) => {
  answer(data).catch((error: unknown) =>
    post({ kind: 'failed', sentence: error instanceof Error ? error.message : String(error) }),
  );
};

async function answer(job: ToMender): Promise<void> {
  const { song, partId, from, to, splices } = job;
  if (job.kind === 'mend') {
    const measure = async (changed: Song) => {
      const plan = await planOfPart(changed, partId, reader, splices);
      return measurePart(plan, partId, reader.load, from, to, undefined, plains);
    };
    const tick = (share: number) => post({ kind: 'progress', share });
    post({ kind: 'mend', mend: await findMend(job.code, song, partId, measure, tick) });
    return;
  }
  const part = song.parts[partId];
  const measure = async (image: Image) => {
    const changed = { ...song, parts: { ...song.parts, [partId]: { ...part, image } } };
    const plan = await planOfPart(changed, partId, reader, splices);
    const { left, right } = await renderStretch(plan, partId, reader.load, from, to);
    return measureStereo(left, right, plan.rateHz).report;
  };
  const rateHz = song.rateHz ?? 48_000;
  for await (const search of findSafer(part.image, job.may, rateHz, seed, measure))
    post({ kind: 'search', search, done: search.share === 1 });
}
