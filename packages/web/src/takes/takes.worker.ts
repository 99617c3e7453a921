import { makingLoader } from '@pannet/core/derived/making';
import { arrangedSource } from '@pannet/core/derived/take-source';
import { measureStereo } from '@pannet/core/measurement/report';
import { gainToDb } from '@pannet/core/quantities/units';
import type { Take } from '@pannet/core/song/song';
import { channelSource, framesReader } from '@pannet/core/sources/blocks';
import {
  alignFor,
  compareTakes,
  type Comparison,
  type TakeToRead,
} from '@pannet/core/takes/line-up/line-up';
import { fluxOf } from '@pannet/core/takes/line-up/flux';
import { portraitOf } from '@pannet/core/takes/portrait';
import { envelopeOf, noiseDb, soundingClips } from '@pannet/core/takes/sounding';
import { RecordingReader } from '../playback/recording-reader.ts';
import { answer, seldom } from '../workers/ask.ts';
import type { TakeFigures, TakesRequest, WorkedTake } from './takes-question.ts';

/** Over so long takes are set beside each other for their likeness, and so much of a take is measured. */
const likenessSeconds = 20;
const mostSeconds = 900;

answer<TakesRequest, readonly WorkedTake[]>(async (request, tell) => {
  const { song, reference, takes, cut, tightnessPercent, comparisons } = request;
  const rateHz = song.rateHz ?? 48_000;
  const reader = new RecordingReader(96e6, 8);
  reader.know(song.recordings);
  const load = makingLoader(reader.load);
  const told = seldom(tell);
  const read = (take: Take, how: Pick<Take, 'clips' | 'align'>): TakeToRead => {
    const recording = song.recordings[take.recording];
    const source = arrangedSource(channelSource(recording, take.channel), how, rateHz);
    return { read: framesReader(source, load), frames: source.frames };
  };
  const steps = takes.length + 1;
  let done = 0;
  const tick = (share: number) => told((done + share) / steps);

  const clipsOf = async (take: Take): Promise<Take['clips']> => {
    if (!cut) return take.clips;
    const whole = read(take, { clips: null, align: null });
    const envelope = await envelopeOf(whole.read, whole.frames, rateHz);
    return soundingClips(envelope, whole.frames, rateHz, cut, take.clips);
  };
  const referenceClips = takes.some(({ id }) => id === reference.id)
    ? await clipsOf(reference)
    : reference.clips;
  const bare = read(reference, { clips: referenceClips, align: reference.align });
  // Looked through once, if anything is to be set beside it.
  const known = (cut ? {} : comparisons) as Record<string, Comparison | undefined>;
  const compared = takes.some(({ id }) => id !== reference.id && !known[id]);
  const standard: TakeToRead = compared
    ? { ...bare, flux: await fluxOf(bare.read, bare.frames, rateHz, tick) }
    : bare;
  const loudest = request.figures ? await loudestOf(standard, rateHz) : 0;
  const worked: WorkedTake[] = [];
  for (const take of takes) {
    done++;
    const isReference = take.id === reference.id;
    const clips = isReference ? referenceClips : await clipsOf(take);
    const loose = read(take, { clips, align: null });
    const comparison = isReference
      ? null
      : (known[take.id] ??
        (await compareTakes(standard, loose, rateHz, (share) => tick(0.7 * share))));
    const align =
      comparison && tightnessPercent !== null
        ? {
            to: reference.id,
            ...(await alignFor(
              comparison,
              loose,
              rateHz,
              tightnessPercent,
              take.align?.anchors,
              (share) => tick(0.7 + 0.2 * share),
            )),
          }
        : take.align;
    const figures = request.figures
      ? await figuresOf(
          read(take, { clips, align }),
          isReference ? null : standard,
          loudest,
          rateHz,
        )
      : null;
    worked.push({ takeId: take.id, clips, align, comparison, figures });
    tick(1);
  }
  return worked;
});

/** Where the loudest stretch begins that takes are compared over. */
async function loudestOf({ read, frames }: TakeToRead, rateHz: number): Promise<number> {
  const { step, peaks } = await envelopeOf(read, frames, rateHz);
  const span = Math.max(1, Math.round((likenessSeconds * rateHz) / step));
  let [sum, most, best] = [0, -1, 0];
  for (let n = 0; n < peaks.length; n++) {
    sum += peaks[n] ** 2 - (n >= span ? peaks[n - span] ** 2 : 0);
    if (sum > most) [most, best] = [sum, n];
  }
  return Math.max(0, (best - span + 1) * step);
}

async function figuresOf(
  take: TakeToRead,
  standard: TakeToRead | null,
  loudest: number,
  rateHz: number,
): Promise<TakeFigures> {
  const samples = await take.read(0, Math.min(take.frames, mostSeconds * rateHz));
  let [peak, energy, sounding] = [0, 0, 0];
  for (const value of samples) {
    peak = Math.max(peak, value, -value);
    energy += value * value;
    if (value !== 0) sounding++;
  }
  const frames = Math.round(likenessSeconds * rateHz);
  const likeness =
    standard &&
    measureStereo(await standard.read(loudest, frames), await take.read(loudest, frames), rateHz)
      .report.likeness;
  return {
    portrait: portraitOf(samples, rateHz),
    crestDb: energy > 0 ? gainToDb(peak) - gainToDb(Math.sqrt(energy / sounding)) : null,
    noiseDb: noiseDb(await envelopeOf(take.read, take.frames, rateHz)),
    likeness: likeness && { value: likeness.value, lagMs: likeness.lagMs },
  };
}
