import { safeFileName } from '@pannet/core/formats/file-name';
import { partsOfRoom } from '@pannet/core/rooms/between';
import { roomKey } from '@pannet/core/song/frozen-room';
import type { Edit } from '@pannet/core/song/edits/edit';
import { rateOf, type Room } from '@pannet/core/song/song';
import { useEffect, useRef, useState } from 'react';
import { sentenceOf } from '../api/request.ts';
import { say } from '../controls/notices.ts';
import { keepFile } from '../importing/import-files.ts';
import { puttingOf } from '../importing/keep-impulse.ts';
import { useOpenSong } from '../session/open-song.ts';
import { ask, question } from '../workers/ask.ts';
import type { FreezeJob, FreezeStep } from './freeze.worker.ts';

const freezer = question<FreezeJob, null, FreezeStep>(
  () => new Worker(new URL('./freeze.worker.ts', import.meta.url), { type: 'module' }),
);

/** Of all the way, rendering takes so much; sending is the rest. */
const renderingShare = 0.8;

/** Renders what a room gives back and keeps that as a recording, which is read in its place; and lets it ring live again. */
export function useFreezing(roomId: string) {
  const open = useOpenSong();
  const [share, setShare] = useState<number | null>(null);
  const running = useRef<AbortController | null>(null);
  useEffect(() => () => running.current?.abort(), []);
  const song = () => open.session.store.getState().song;
  const roomNow = () => song().rooms.find(({ id }) => id === roomId);
  /** The room otherwise, and what it was frozen as before dropped. */
  const edits = (room: Room, frozen: Room['frozen']): Edit[] => [
    {
      kind: 'set-rooms',
      rooms: song().rooms.map((one) => (one.id === room.id ? { ...one, frozen } : one)),
    },
    ...droppingOf(song().rooms, room, frozen),
  ];
  const freeze = async () => {
    const before = song();
    const room = roomNow();
    if (!room) return;
    if (partsOfRoom(before.rooms, room).length === 0) {
      say(`Nothing feeds “${room.name}”: there is nothing to freeze.`);
      return;
    }
    const stop = new AbortController();
    running.current = stop;
    setShare(0);
    try {
      const key = roomKey(before, room);
      const pieces: BlobPart[] = [];
      const splices = open.playback.wholeSplices(before, partsOfRoom(before.rooms, room));
      await ask(
        freezer,
        { song: before, roomId, splices },
        {
          signal: stop.signal,
          progress: (step) => {
            pieces.push(step.bytes);
            setShare(renderingShare * step.share);
          },
        },
      );
      const file = new File(pieces, `${safeFileName(room.name)}_frozen.wav`, { type: 'audio/wav' });
      const kept = await keepFile(file, rateOf(before), stop.signal, (step) => {
        setShare(renderingShare + (1 - renderingShare) * step.share);
      });
      const now = roomNow();
      if (stop.signal.aborted || !now) return;
      if ('taken' in kept) say(kept.sentence);
      else if (roomKey(song(), now) !== key)
        say(`“${room.name}” was changed meanwhile: freeze it once more.`);
      else
        open.do(`${room.name}: frozen`, [
          ...puttingOf(song(), kept),
          ...edits(now, { recording: kept.hash, key, levelDb: room.levelDb }),
        ]);
    } catch (error) {
      if (!stop.signal.aborted) say(`“${room.name}” could not be frozen: ${sentenceOf(error)}`);
    } finally {
      if (running.current === stop) setShare(null);
    }
  };
  const thaw = () => {
    const room = roomNow();
    if (room) open.do(`${room.name}: rings live`, edits(room, null));
  };
  return { share, freeze: () => void freeze(), thaw, stop: () => running.current?.abort() };
}

/** What a room was frozen as is needed no more, unless it is again, or another one is. */
export function droppingOf(
  rooms: readonly Room[],
  { id, frozen }: Room,
  next: Room['frozen'] = null,
): Edit[] {
  if (!frozen || frozen.recording === next?.recording) return [];
  const others = rooms.some((one) => one.id !== id && one.frozen?.recording === frozen.recording);
  return others ? [] : [{ kind: 'drop-recording', hash: frozen.recording }];
}
