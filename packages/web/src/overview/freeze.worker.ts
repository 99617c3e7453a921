import { planEnd, roots } from '@pannet/core/rendering/plan';
import { ringingRoot } from '@pannet/core/rendering/room-nodes';
import { partsOfRoom } from '@pannet/core/rooms/between';
import { partFrames, songFrames, type Song } from '@pannet/core/song/song';
import { writeWav } from '../handoff/write-wav.ts';
import type { KnownSplices } from '../playback/known-splices.ts';
import { planOfParts } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import { answer } from '../workers/ask.ts';

export interface FreezeJob {
  readonly song: Song;
  readonly kind: 'room' | 'part';
  readonly id: string;
  /** Splices that were planned already. */
  readonly splices: KnownSplices;
}

export interface FreezeStep {
  readonly bytes: Uint8Array<ArrayBuffer>;
  readonly share: number;
}

const reader = new RecordingReader(48e6, 8);

/** The thing ringing live, the parts that it needs, what of it is rendered, and how long the song is for it. */
function livingOf({ song, kind, id }: FreezeJob) {
  if (kind === 'part') {
    const part = { ...song.parts[id], frozen: null, levelDb: 0 };
    return {
      song: { ...song, rooms: [], parts: { ...song.parts, [id]: part } },
      partIds: [id],
      root: roots.stage(id),
      frames: partFrames(song, part),
      name: part.name,
    };
  }
  const rooms = song.rooms.map((room) =>
    room.id === id ? { ...room, frozen: null, muted: false } : room,
  );
  const room = rooms.find((one) => one.id === id);
  if (!room) throw new Error('The room is gone.');
  return {
    song: { ...song, rooms },
    partIds: partsOfRoom(rooms, room),
    root: ringingRoot(roots.room(id)),
    frames: songFrames(song),
    name: room.name,
  };
}

/** What a room gives back before its return is ridden, or a part before its level, with its tail, as a WAV of floats: piece by piece. */
answer<FreezeJob, null, FreezeStep>(async (job, tell) => {
  const { song, partIds, root, frames: length, name } = livingOf(job);
  const plan = await planOfParts(song, partIds, reader, job.splices);
  const frames = planEnd({ ...plan, frames: length }, root);
  await writeWav(name, { plan, root, frames, bits: '32f' }, reader.load, (bytes, share) =>
    tell({ bytes, share }, [bytes.buffer]),
  );
  return null;
});
