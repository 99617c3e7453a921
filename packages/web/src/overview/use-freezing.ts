import { safeFileName } from '@pannet/core/formats/file-name';
import { partsOfRoom } from '@pannet/core/rooms/between';
import { frozenAs, partKey, roomKey } from '@pannet/core/song/frozen';
import type { Edit } from '@pannet/core/song/edits/edit';
import { rateOf, type Part, type Room, type Song } from '@pannet/core/song/song';
import { useStore } from 'zustand';
import { createStore, type StoreApi } from 'zustand/vanilla';
import { sentenceOf } from '../api/request.ts';
import { say } from '../controls/notices.ts';
import { keepFile } from '../importing/import-files.ts';
import { puttingOf } from '../importing/keep-impulse.ts';
import type { OpenSong } from '../session/open-song.ts';
import { useOpenSong } from '../session/use-open-song.ts';
import { ask, question } from '../workers/ask.ts';
import type { FreezeJob, FreezeStep } from './freeze.worker.ts';

const freezer = question<FreezeJob, null, FreezeStep>(
  () => new Worker(new URL('./freeze.worker.ts', import.meta.url), { type: 'module' }),
);

/** Of all the way, rendering takes so much; sending is the rest. */
const renderingShare = 0.8;

/** What is frozen: a room by what it gives back, a part by its image. */
export type Freezable =
  { readonly kind: 'room'; readonly id: string } | { readonly kind: 'part'; readonly id: string };

/** It as it is in a song: what it is called, what it needs, what it would be frozen as; null where it is gone. */
function inSong(song: Song, { kind, id }: Freezable) {
  if (kind === 'part') {
    const part = song.parts[id] as Part | undefined;
    if (!part) return null;
    const set = (frozen: Part['frozen']): Edit[] => [
      { kind: 'set-part', partId: id, changes: { frozen } },
    ];
    return {
      name: part.name,
      frozen: part.frozen,
      partIds: [id],
      key: partKey(song, part),
      set,
      as: (recording: string, key: string) => set({ recording, key }),
    };
  }
  const room = song.rooms.find((one) => one.id === id);
  if (!room) return null;
  const set = (frozen: Room['frozen']): Edit[] => [
    {
      kind: 'set-rooms',
      rooms: song.rooms.map((one) => (one.id === id ? { ...one, frozen } : one)),
    },
  ];
  return {
    name: room.name,
    frozen: room.frozen,
    partIds: partsOfRoom(song.rooms, room),
    key: roomKey(song, room),
    set,
    as: (recording: string, key: string) => set({ recording, key, levelDb: room.levelDb }),
  };
}

interface Run {
  readonly share: number;
  readonly stop: AbortController;
}

/** What is being frozen of a song that is open: it goes on while other things are looked at. */
const runs = new WeakMap<OpenSong, StoreApi<Readonly<Record<string, Run>>>>();

function runsOf(open: OpenSong): StoreApi<Readonly<Record<string, Run>>> {
  const known = runs.get(open) ?? createStore<Readonly<Record<string, Run>>>(() => ({}));
  runs.set(open, known);
  return known;
}

/** Renders something ahead and keeps that as a recording, which is read in its place; and works it out again. */
export function useFreezing(what: Freezable) {
  const open = useOpenSong();
  const store = runsOf(open);
  const name = `${what.kind}/${what.id}`;
  const run = useStore(store, (state) => state[name] as Run | undefined);
  const song = () => open.session.store.getState().song;
  const freeze = async () => {
    const before = song();
    const begun = inSong(before, what);
    if (!begun) return;
    const { name: called, partIds, key } = begun;
    if (partIds.length === 0) {
      say(`Nothing feeds “${called}”: there is nothing to freeze.`);
      return;
    }
    const stop = new AbortController();
    open.onClose(() => stop.abort());
    const setShare = (share: number) => store.setState({ [name]: { share, stop } });
    setShare(0);
    try {
      const pieces: BlobPart[] = [];
      const splices = open.playback.wholeSplices(before, partIds);
      const job: FreezeJob = { song: before, kind: what.kind, id: what.id, splices };
      await ask(freezer, job, {
        signal: stop.signal,
        progress: (step) => {
          pieces.push(step.bytes);
          setShare(renderingShare * step.share);
        },
      });
      const file = new File(pieces, `${safeFileName(called)}_frozen.wav`, { type: 'audio/wav' });
      const kept = await keepFile(file, rateOf(before), stop.signal, (step) => {
        setShare(renderingShare + (1 - renderingShare) * step.share);
      });
      const now = inSong(song(), what);
      if (stop.signal.aborted || !now) return;
      if ('taken' in kept) say(kept.sentence);
      else if (now.key !== key) say(`“${called}” was changed meanwhile: freeze it once more.`);
      else
        open.do(`${called}: frozen`, [
          ...puttingOf(song(), kept),
          ...now.as(kept.hash, key),
          ...droppingOf(song(), what, kept.hash),
        ]);
    } catch (error) {
      if (!stop.signal.aborted) say(`“${called}” could not be frozen: ${sentenceOf(error)}`);
    } finally {
      const { [name]: _, ...others } = store.getState();
      store.setState(others, true);
    }
  };
  const thaw = () => {
    const now = inSong(song(), what);
    if (now) open.do(`${now.name}: live`, [...now.set(null), ...droppingOf(song(), what)]);
  };
  return {
    share: run?.share ?? null,
    freeze: () => void freeze(),
    thaw,
    stop: () => run?.stop.abort(),
  };
}

/**
 * What something was frozen as is needed no more, unless it is again, or something else is.
 * @param next what it is frozen as now
 */
export function droppingOf(
  song: Song,
  what: Freezable,
  next: string | null = null,
): readonly Edit[] {
  const frozen = inSong(song, what)?.frozen;
  if (!frozen || frozen.recording === next) return [];
  const alone = frozenAs(song, frozen.recording).length === 1;
  return alone ? [{ kind: 'drop-recording', hash: frozen.recording }] : [];
}
