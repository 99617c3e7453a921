import { WavEncoder, wavFits, wavHeader, type WrittenBits } from '@pannet/core/formats/wav-write';
import { gainToDb } from '@pannet/core/quantities/units';
import { figure } from '@pannet/core/quantities/wording';
import { renderPart } from '@pannet/core/rendering/offline';
import { planEnd } from '@pannet/core/rendering/plan';
import { partFrames, type Song } from '@pannet/core/song/song';
import type { KnownSplices } from '../playback/known-splices.ts';
import { planOfPart } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import { answer } from '../workers/ask.ts';

export interface ExportJob {
  readonly song: Song;
  readonly partIds: readonly string[];
  /** Splices that were planned already. */
  readonly splices: KnownSplices;
}

/** What is written of a file as it is rendered, and what is to be said of it when it is whole. */
export type ExportStep =
  | {
      readonly kind: 'bytes';
      readonly partId: string;
      readonly bytes: Uint8Array<ArrayBuffer>;
      readonly share: number;
    }
  | { readonly kind: 'finished'; readonly partId: string; readonly notes: readonly string[] };

const reader = new RecordingReader(48e6, 8);
type Tell = (step: ExportStep, transfer?: Transferable[]) => void;
/** Quieter than this nobody misses a tail: common practice. */
const audibleTailDb = -90;

answer<ExportJob, null, ExportStep>(async ({ song, partIds, splices }, tell) => {
  for (const [n, partId] of partIds.entries())
    await exportPart(song, partId, splices, tell, (share) => (n + share) / partIds.length);
  return null;
});

/** The same renderer that plays; the source's rate and length, 24 bits, or float if the source is. */
async function exportPart(
  song: Song,
  partId: string,
  splices: KnownSplices,
  tell: Tell,
  overall: (share: number) => number,
): Promise<void> {
  const part = song.parts[partId];
  const plan = await planOfPart(song, partId, reader, splices);
  const frames = partFrames(song, part);
  const float = part.takes.some((take) => song.recordings[take.recording].encoding === 'float');
  const bits: WrittenBits = float ? '32f' : '24';
  if (!wavFits(frames, 2, bits))
    throw new Error(`“${part.name}” would be over 4 GB, which WAV cannot hold.`);
  const send = (bytes: Uint8Array, share: number) => {
    const whole = bytes as Uint8Array<ArrayBuffer>;
    tell({ kind: 'bytes', partId, bytes: whole, share: overall(share) }, [whole.buffer]);
  };
  send(wavHeader(frames, 2, plan.rateHz, bits), 0);
  const encoder = new WavEncoder(bits);
  for await (const { frame, left, right } of renderPart(plan, partId, reader.load, 0, frames))
    send(encoder.encode([left, right], left.length), (frame + left.length) / frames);
  const notes: string[] = [];
  let tail = 0;
  const end = planEnd(plan);
  for await (const { left, right } of renderPart(
    plan,
    partId,
    reader.load,
    frames,
    Math.max(frames, end),
  ))
    for (let n = 0; n < left.length; n++)
      tail = Math.max(tail, Math.abs(left[n]), Math.abs(right[n]));
  if (gainToDb(tail) > audibleTailDb)
    notes.push(
      `Late voices ring on after the end of the take; that tail (${figure(gainToDb(tail), 0)} dBFS) is cut, so that the length stays.`,
    );
  if (encoder.clipped > 0)
    notes.push(
      `${encoder.clipped} samples lie over full scale and were held there: lower the part's level or trim.`,
    );
  tell({ kind: 'finished', partId, notes });
}
