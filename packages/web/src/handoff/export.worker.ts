import { WavEncoder, wavFits, wavHeader, type WrittenBits } from '@pannet/core/formats/wav-write';
import { gainToDb } from '@pannet/core/quantities/units';
import { figure } from '@pannet/core/quantities/wording';
import { renderRoot } from '@pannet/core/rendering/offline';
import { planEnd, roots } from '@pannet/core/rendering/plan';
import { partFrames, partsInOrder, songFrames, type Part, type Song } from '@pannet/core/song/song';
import type { KnownSplices } from '../playback/known-splices.ts';
import { planOfPart, planOfParts } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import { answer } from '../workers/ask.ts';
import { roomOfStem } from './stems.ts';

export interface ExportJob {
  readonly song: Song;
  /** Ids of parts, and roots of rooms for what they give back. */
  readonly stemIds: readonly string[];
  /** Splices that were planned already. */
  readonly splices: KnownSplices;
}

/** What is written of a file as it is rendered, and what is to be said of it when it is whole. */
export type ExportStep =
  | {
      readonly kind: 'bytes';
      readonly stemId: string;
      readonly bytes: Uint8Array<ArrayBuffer>;
      readonly share: number;
    }
  | { readonly kind: 'finished'; readonly stemId: string; readonly notes: readonly string[] };

const reader = new RecordingReader(48e6, 8);
type Tell = (step: ExportStep, transfer?: Transferable[]) => void;
/** Quieter than this nobody misses a tail: common practice. */
const audibleTailDb = -90;

answer<ExportJob, null, ExportStep>(async ({ song, stemIds, splices }, tell) => {
  for (const [n, id] of stemIds.entries())
    await exportStem(song, id, splices, tell, (share) => (n + share) / stemIds.length);
  return null;
});

/** What is rendered for a stem, how long it is, and in which bits it is written. */
async function stemOf(song: Song, id: string, splices: KnownSplices) {
  const ofTakes = (parts: readonly Part[]) =>
    parts.flatMap(({ takes }) => takes).map(({ recording }) => song.recordings[recording]);
  const bits = (parts: readonly Part[]): WrittenBits =>
    ofTakes(parts).some(({ encoding }) => encoding === 'float') ? '32f' : '24';
  const room = roomOfStem(song, id);
  if (room) {
    const fed = partsInOrder(song).filter((part) =>
      room.feeds.some(({ partId }) => partId === part.id),
    );
    const plan = await planOfParts(
      song,
      fed.map((part) => part.id),
      reader,
      splices,
    );
    // With its tail: that is what it is for.
    const frames = planEnd({ ...plan, frames: songFrames(song) }, id);
    return { plan, root: id, name: room.name, frames, end: frames, bits: bits(fed) };
  }
  const part = song.parts[id];
  const plan = await planOfPart(song, id, reader, splices);
  const root = roots.part(id);
  const frames = partFrames(song, part);
  const end = Math.max(frames, planEnd(plan, root));
  return { plan, root, name: part.name, frames, end, bits: bits([part]) };
}

/** The same renderer that plays; the source's rate and length, 24 bits, or float if the source is. */
async function exportStem(
  song: Song,
  stemId: string,
  splices: KnownSplices,
  tell: Tell,
  overall: (share: number) => number,
): Promise<void> {
  const { plan, root, name, frames, end, bits } = await stemOf(song, stemId, splices);
  if (!wavFits(frames, 2, bits))
    throw new Error(`“${name}” would be over 4 GB, which WAV cannot hold.`);
  const send = (bytes: Uint8Array, share: number) => {
    const whole = bytes as Uint8Array<ArrayBuffer>;
    tell({ kind: 'bytes', stemId, bytes: whole, share: overall(share) }, [whole.buffer]);
  };
  send(wavHeader(frames, 2, plan.rateHz, bits), 0);
  const encoder = new WavEncoder(bits);
  for await (const { frame, left, right } of renderRoot(plan, root, reader.load, 0, frames))
    send(encoder.encode([left, right], left.length), (frame + left.length) / frames);
  const notes: string[] = [];
  let tail = 0;
  for await (const { left, right } of renderRoot(plan, root, reader.load, frames, end))
    for (let n = 0; n < left.length; n++)
      tail = Math.max(tail, Math.abs(left[n]), Math.abs(right[n]));
  if (gainToDb(tail) > audibleTailDb)
    notes.push(
      `Late voices ring on after the end of the take; that tail (${figure(gainToDb(tail), 0)} dBFS) is cut, so that the length stays.`,
    );
  if (encoder.clipped > 0)
    notes.push(
      `${encoder.clipped} samples lie over full scale and were held there: lower the level or trim.`,
    );
  tell({ kind: 'finished', stemId, notes });
}
