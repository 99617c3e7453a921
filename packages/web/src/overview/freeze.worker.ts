import { WavEncoder, wavFits, wavHeader } from '@pannet/core/formats/wav-write';
import { renderRoot } from '@pannet/core/rendering/offline';
import { planEnd, roots } from '@pannet/core/rendering/plan';
import { ringingRoot } from '@pannet/core/rendering/room-nodes';
import { partsOfRoom } from '@pannet/core/rooms/between';
import { songFrames, type Song } from '@pannet/core/song/song';
import type { KnownSplices } from '../playback/known-splices.ts';
import { planOfParts } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import { answer } from '../workers/ask.ts';

export interface FreezeJob {
  readonly song: Song;
  readonly roomId: string;
  /** Splices that were planned already. */
  readonly splices: KnownSplices;
}

export interface FreezeStep {
  readonly bytes: Uint8Array<ArrayBuffer>;
  readonly share: number;
}

const reader = new RecordingReader(48e6, 8);

/** What a room gives back before its return is ridden, with its tail, as a WAV of floats: piece by piece. */
answer<FreezeJob, null, FreezeStep>(async ({ song, roomId, splices }, tell) => {
  const live = {
    ...song,
    rooms: song.rooms.map((room) =>
      room.id === roomId ? { ...room, frozen: null, muted: false } : room,
    ),
  };
  const room = live.rooms.find(({ id }) => id === roomId);
  if (!room) throw new Error('The room is gone.');
  const plan = await planOfParts(live, partsOfRoom(live.rooms, room), reader, splices);
  const root = ringingRoot(roots.room(roomId));
  const frames = planEnd({ ...plan, frames: songFrames(song) }, root);
  if (!wavFits(frames, 2, '32f'))
    throw new Error(`“${room.name}” would be over 4 GB, which WAV cannot hold.`);
  const send = (bytes: Uint8Array, share: number) => {
    const whole = bytes as Uint8Array<ArrayBuffer>;
    tell({ bytes: whole, share }, [whole.buffer]);
  };
  send(wavHeader(frames, 2, plan.rateHz, '32f'), 0);
  const encoder = new WavEncoder('32f');
  for await (const { frame, left, right } of renderRoot(plan, root, reader.load, 0, frames))
    send(encoder.encode([left, right], left.length), (frame + left.length) / frames);
  return null;
});
