import { matchLevels } from '@pannet/core/comparing/matching';
import { dbToGain, db } from '@pannet/core/quantities/units';
import { apply } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import { partFrames, type Song } from '@pannet/core/song/song';
import { createStore } from 'zustand/vanilla';
import { say } from '../controls/notices.ts';
import type { Playback } from '../playback/playback.ts';
import type { SongSession } from '../sync/song-session.ts';
import type { FromLoudness, LoudnessJob } from './messages.ts';

/** Something that is tried before it is kept. */
export interface Trial {
  /** Of what is tried. */
  readonly id: string;
  readonly partId: string;
  /** As undo will call it. */
  readonly name: string;
  readonly edits: readonly Edit[];
  /** What is heard is raised by this, so that it is as loud as what it would replace; null while that is measured. */
  readonly matchedDb: number | null;
}

/** Loudness is compared over the loop, or over so much of what is played. */
const stretchSeconds = 10;

/**
 * Plays a change of a part at the loudness that the part has without it, until it is dropped. Whatever else is done meanwhile
 * ends it, its being done among them.
 */
export class Audition {
  readonly store = createStore<{ readonly trial: Trial | null }>(() => ({ trial: null }));
  readonly #session: SongSession;
  readonly #playback: Playback;
  readonly #worker = new Worker(new URL('./loudness.worker.ts', import.meta.url), {
    type: 'module',
  });
  readonly #end: () => void;
  /** What is shown while nothing else is done; null where nothing is tried. */
  #expected: Song | null = null;
  #lastId = 0;

  constructor(session: SongSession, playback: Playback) {
    this.#session = session;
    this.#playback = playback;
    this.#worker.onmessage = ({ data }: MessageEvent<FromLoudness>) => this.#hear(data);
    this.#worker.onerror = (event) => {
      this.drop();
      say(
        `Nothing can be tried any more: ${event.message || 'a worker ended'}. Load the page anew.`,
      );
    };
    this.#end = session.store.subscribe(({ shown }) => {
      if (this.#expected && shown !== this.#expected) this.#forget();
    });
  }

  /** Measures the change, then plays it. */
  begin(what: Omit<Trial, 'matchedDb'>): void {
    this.drop();
    const { partId, name, edits } = what;
    const { song, shown } = this.#session.store.getState();
    const changed = apply(song, { id: 'audition', name, role: 'do', edits });
    if (!changed.ok) {
      say(changed.error.sentence);
      return;
    }
    this.#expected = shown;
    this.store.setState({ trial: { ...what, matchedDb: null } });
    this.#worker.postMessage({
      id: ++this.#lastId,
      songs: [song, changed.value.song],
      partId,
      ...this.#stretch(song, partId),
      splices: [
        ...new Map(
          [song, changed.value.song].flatMap((one) => this.#playback.wholeSplices(one, [partId])),
        ),
      ],
    } satisfies LoudnessJob);
  }

  #stretch(song: Song, partId: string): { from: number; to: number } {
    const { loop, looping, frame } = this.#playback.store.getState();
    const frames = partFrames(song, song.parts[partId]);
    if (looping && loop && loop.start < frames)
      return { from: loop.start, to: Math.min(loop.end, frames) };
    const length = Math.min(frames, stretchSeconds * (song.rateHz ?? 48_000));
    const from = Math.min(frame, frames - length);
    return { from, to: from + length };
  }

  #hear(message: FromLoudness): void {
    const { trial } = this.store.getState();
    if (!trial || message.id !== this.#lastId) return;
    if (message.kind === 'failed') {
      this.#forget();
      say(message.sentence);
      return;
    }
    const [before, after] = message.levels;
    // What is tried is never raised over −1 dBTP; where one of both is silent there is nothing to match.
    const matchedDb = matchLevels({ after }, before, 'heard').gainsDb.after;
    this.#expected = null;
    const shown = this.#session.preview(trial.edits);
    if (!shown.ok) {
      this.#forget();
      say(shown.error.sentence);
      return;
    }
    this.#expected = shown.value;
    this.store.setState({ trial: { ...trial, matchedDb } });
    const { plain, image } = this.#playback.store.getState().monitoring;
    const others = Object.entries(plain).filter(([id]) => id !== trial.partId);
    this.#playback.listen({
      plain: Object.fromEntries(others),
      image: { ...image, [trial.partId]: dbToGain(db(matchedDb)) },
    });
    if (this.#playback.store.getState().state === 'stopped') void this.#playback.play();
  }

  /** Back to what was. */
  drop(): void {
    const { trial } = this.store.getState();
    if (!trial) return;
    this.#forget();
    if (trial.matchedDb !== null) this.#session.endPreview();
  }

  #forget(): void {
    this.#expected = null;
    this.#lastId++;
    const { trial } = this.store.getState();
    this.store.setState({ trial: null });
    const { image } = this.#playback.store.getState().monitoring;
    const others = Object.entries(image).filter(([id]) => id !== trial?.partId);
    this.#playback.listen({ image: Object.fromEntries(others) });
  }

  close(): void {
    this.#end();
    this.#worker.terminate();
  }
}
