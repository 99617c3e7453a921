import type { WrittenBits } from '@pannet/core/formats/wav-write';
import { gainToDb } from '@pannet/core/quantities/units';
import { figure } from '@pannet/core/quantities/wording';
import { renderRoot } from '@pannet/core/rendering/offline';
import { ringsOn } from '@pannet/core/rendering/room-nodes';
import { nodesUnder, planEnd, roots } from '@pannet/core/rendering/plan';
import { partFrames, partsInOrder, songFrames, type Song } from '@pannet/core/song/song';
import type { KnownSplices } from '../playback/known-splices.ts';
import { planOfParts } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import { answer } from '../workers/ask.ts';
import { stemOf } from './stems.ts';
import { writeWav } from './write-wav.ts';

export interface ExportJob {
  readonly song: Song;
  /** As `stemIds` names it. */
  readonly stemId: string;
  /** Splices that were planned already. */
  readonly splices: KnownSplices;
}

/** What is written of a file as it is rendered, and the share of it that is. */
export interface ExportStep {
  readonly bytes: Uint8Array<ArrayBuffer>;
  readonly share: number;
}

/** What is to be said of a file when it is whole. */
export type ExportNotes = readonly string[];

const reader = new RecordingReader(24e6, 8);
/** Quieter than this nobody misses a tail: common practice. */
const audibleTailDb = -90;

/** What is rendered for a stem, how long it is, and in which bits it is written. */
async function toRender(song: Song, id: string, splices: KnownSplices) {
  const { kind, name, partIds } = stemOf(song, id);
  const parts = partsInOrder(song).filter((part) => partIds.includes(part.id));
  const order = parts.map((part) => part.id);
  // Mute is for the ears, of groups and rooms as of parts.
  const heard = {
    ...song,
    groups: song.groups.map((group) => ({ ...group, muted: false })),
    rooms: song.rooms.map((room) => ({ ...room, muted: false })),
  };
  const plan = await planOfParts(heard, order, reader, splices);
  const root = kind === 'part' ? roots.part(id) : id;
  const length = kind === 'part' ? partFrames(song, parts[0]) : songFrames(song);
  const end = planEnd({ ...plan, frames: length }, root);
  const float = parts
    .flatMap(({ takes }) => takes)
    .some(({ recording }) => song.recordings[recording].encoding === 'float');
  const bits: WrittenBits = float ? '32f' : '24';
  // What a room gives back comes with its tail, also where it does so in a group: that is what it is for.
  const rings = ringsOn(nodesUnder(plan, root));
  return { plan, root, name, frames: rings ? end : length, end, bits };
}

/** The same renderer that plays; the source's rate and length, 24 bits, or float if the source is. */
answer<ExportJob, ExportNotes, ExportStep>(async ({ song, stemId, splices }, tell) => {
  const { plan, root, name, frames, end, bits } = await toRender(song, stemId, splices);
  const clipped = await writeWav(name, { plan, root, frames, bits }, reader.load, (bytes, share) =>
    tell({ bytes, share }, [bytes.buffer]),
  );
  const notes: string[] = [];
  let tail = 0;
  for await (const { left, right } of renderRoot(plan, root, reader.load, frames, end))
    for (let n = 0; n < left.length; n++)
      tail = Math.max(tail, Math.abs(left[n]), Math.abs(right[n]));
  if (gainToDb(tail) > audibleTailDb)
    notes.push(
      `Late voices ring on after the end of the take; that tail (${figure(gainToDb(tail), 0)} dBFS) is cut, so that the length stays.`,
    );
  if (clipped > 0)
    notes.push(
      `${clipped} samples lie over full scale and were held there: lower the level or trim.`,
    );
  return notes;
});
