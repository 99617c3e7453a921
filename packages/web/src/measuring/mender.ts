import { contentKey } from '@pannet/core/song/content-key';
import type { FindingCode } from '@pannet/core/findings/finding';
import type { Mend } from '@pannet/core/findings/find-mend';
import type { Search, Setting } from '@pannet/core/findings/safer';
import type { MayChange } from '@pannet/core/findings/variations';
import { withMotion } from '@pannet/core/findings/motion-mends';
import type { Edit } from '@pannet/core/song/edits/edit';
import { partFrames, type Part } from '@pannet/core/song/song';
import { createStore } from 'zustand/vanilla';
import { say } from '../controls/notices.ts';
import type { Playback } from '../playback/playback.ts';
import type { SongSession } from '../sync/song-session.ts';
import type { Audition } from './audition.ts';
import type { Mended, ToMender } from './messages.ts';
import { ask, question, wasStopped } from '../workers/ask.ts';
import { sentenceOf } from '../api/request.ts';

/** A mend that was looked for; null where there is none. */
export interface Found {
  readonly mend: Mend | null;
  /** Of the image that it is for. */
  readonly key: string;
  /** What it was measured over, in frames: figures of another stretch are others. */
  readonly from: number;
  readonly to: number;
}

/** The search for a safer setting, as far as it has come. */
export interface SearchState {
  readonly partId: string;
  readonly key: string;
  readonly begun: Setting | null;
  readonly tried: readonly Setting[];
  readonly best: Setting | null;
  readonly share: number;
  readonly running: boolean;
}

export interface MenderState {
  /** What is being looked for. */
  readonly busy: { readonly code: FindingCode; readonly share: number } | null;
  /** By part and finding. */
  readonly found: Readonly<Record<string, Found>>;
  readonly search: SearchState | null;
}

const mender = question<ToMender, Mended, number | Search>(
  () => new Worker(new URL('./mender.worker.ts', import.meta.url), { type: 'module' }),
);

/** Mends are measured over the loop, or over so much round the place in question; a search over less. */
const mendSeconds = 16;
const searchSeconds = 8;

/**
 * Looks for what mends a finding, and for safer settings, in a worker each; what it finds is played until it is kept or
 * dropped.
 */
export class Mender {
  readonly store = createStore<MenderState>(() => ({ busy: null, found: {}, search: null }));
  readonly #session: SongSession;
  readonly #playback: Playback;
  readonly #audition: Audition;
  #looking: AbortController | null = null;
  #searching: AbortController | null = null;

  constructor(session: SongSession, playback: Playback, audition: Audition) {
    this.#session = session;
    this.#playback = playback;
    this.#audition = audition;
  }

  #keyOf(part: Part): string {
    return contentKey(this.#session.store.getState().song, part);
  }

  /** The loop, or so many seconds round a place. */
  #stretch(part: Part, seconds: number, aroundSeconds: number): { from: number; to: number } {
    const { song } = this.#session.store.getState();
    const rate = song.rateHz ?? 48_000;
    const frames = partFrames(song, part);
    const { loop, looping } = this.#playback.store.getState();
    if (looping && loop && loop.start < frames)
      return { from: loop.start, to: Math.min(loop.end, frames) };
    const length = Math.min(frames, Math.round(seconds * rate));
    const from = Math.round(aroundSeconds * rate - length / 2);
    const start = Math.max(0, Math.min(frames - length, from));
    return { from: start, to: start + length };
  }

  /** Looks for a mend, then plays it as loud as what it would replace. */
  try(part: Part, code: FindingCode, aroundSeconds: number): void {
    this.stopLooking();
    const id = mendId(part.id, code);
    const key = this.#keyOf(part);
    const { found } = this.store.getState();
    const stretch = this.#stretch(part, mendSeconds, aroundSeconds);
    const known = id in found && found[id].key === key ? found[id] : null;
    if (known?.mend) {
      this.#play(part, known.mend, stretch.from);
      return;
    }
    const { song } = this.#session.store.getState();
    this.store.setState({ busy: { code, share: 0 } });
    const looking = new AbortController();
    this.#looking = looking;
    const splices = this.#playback.wholeSplices(song, [part.id]);
    ask(
      mender,
      { kind: 'mend', song, partId: part.id, code, splices, ...stretch },
      {
        signal: looking.signal,
        progress: (share) => {
          if (typeof share === 'number') this.store.setState({ busy: { code, share } });
        },
      },
    ).then(
      ({ mend }) => {
        this.#end(looking);
        this.store.setState(({ found: before }) => ({
          found: { ...before, [id]: { mend, key, ...stretch } },
        }));
        if (mend && this.#isStill(part.id, key)) this.#play(part, mend, stretch.from);
      },
      (error: unknown) => {
        this.#end(looking);
        if (!wasStopped(error)) say(sentenceOf(error));
      },
    );
  }

  /** Whether a part is as it was: a mend of what it was would undo what was done since. */
  #isStill(partId: string, key: string): boolean {
    const part = this.#session.store.getState().song.parts[partId] as Part | undefined;
    return part !== undefined && this.#keyOf(part) === key;
  }

  #end(looking: AbortController): void {
    if (this.#looking !== looking) return;
    this.#looking = null;
    this.store.setState({ busy: null });
  }

  stopLooking(): void {
    const looking = this.#looking;
    if (!looking) return;
    this.#end(looking);
    looking.abort();
  }

  /** Where nothing plays, it begins where it was measured. */
  #play(part: Part, mend: Mend, from: number): void {
    if (this.#playback.store.getState().state === 'stopped') this.#playback.seek(from);
    this.#audition.begin({
      id: mendId(part.id, mend.code),
      partId: part.id,
      name: `${part.name}: ${mend.words}`,
      edits: this.#editsOf(part, mend),
    });
  }

  /** What moves otherwise is set in the song as it is now: other parts may have got moves since. */
  #editsOf(part: Part, { image, moves }: Mend): Edit[] {
    const { song } = this.#session.store.getState();
    return moves.length > 0
      ? [{ kind: 'set-moves', moves: withMotion(song, moves).moves }]
      : [{ kind: 'set-image', partId: part.id, image }];
  }

  /** Begins the search anew. */
  search(part: Part, may: MayChange, aroundSeconds: number): void {
    this.stopSearch();
    const { song } = this.#session.store.getState();
    const none: SearchState = {
      partId: part.id,
      key: this.#keyOf(part),
      begun: null,
      tried: [],
      best: null,
      share: 0,
      running: true,
    };
    this.store.setState({ search: none });
    const searching = new AbortController();
    this.#searching = searching;
    ask(
      mender,
      {
        kind: 'search',
        song,
        partId: part.id,
        may,
        splices: this.#playback.wholeSplices(song, [part.id]),
        ...this.#stretch(part, searchSeconds, aroundSeconds),
      },
      {
        signal: searching.signal,
        progress: (state) => {
          const { search } = this.store.getState();
          if (search && typeof state !== 'number')
            this.store.setState({ search: { ...search, ...state } });
        },
      },
    )
      .catch((error: unknown) => {
        if (!wasStopped(error)) say(sentenceOf(error));
      })
      .finally(() => {
        if (this.#searching === searching) this.stopSearch();
      });
  }

  /** What was tried so far stays. */
  stopSearch(): void {
    this.#searching?.abort();
    this.#searching = null;
    const { search } = this.store.getState();
    if (search?.running) this.store.setState({ search: { ...search, running: false } });
  }

  close(): void {
    this.stopLooking();
    this.stopSearch();
  }
}

export function mendId(partId: string, code: FindingCode): string {
  return `mend/${partId}/${code}`;
}
