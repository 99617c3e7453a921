import { roots } from '@pannet/core/rendering/plan';
import { db, dbToGain } from '@pannet/core/quantities/units';
import { songFrames, type Song } from '@pannet/core/song/song';
import { createStore } from 'zustand/vanilla';
import { sentenceOf } from '../api/request.ts';
import { say } from '../controls/notices.ts';
import { songMeasurer } from '../measuring/group-figures.ts';
import { bedRoot } from '../measuring/messages.ts';
import type { Playback } from '../playback/playback.ts';
import type { SongSession } from '../sync/song-session.ts';
import { ask, wasStopped } from '../workers/ask.ts';

interface BesideBedState {
  /** Whether the bed is heard alone. */
  readonly alone: boolean;
  /** By how much it is louder than its level so that it is as loud as the mix, in dB; null where that is not known. */
  readonly matchedDb: number | null;
  /** The song that it was matched to: of one that has changed since it says nothing. */
  readonly matchedTo: Song | null;
  /** How far both are measured. */
  readonly share: number | null;
}

/** More would be heard as noise of the file. */
const mostDb = 24;

/** Sets the bed beside the mix of all parts, equally loud: over the loop, or the whole song. */
export class BesideBed {
  readonly store = createStore<BesideBedState>(() => ({
    alone: false,
    matchedDb: null,
    matchedTo: null,
    share: null,
  }));
  readonly #session: SongSession;
  readonly #playback: Playback;
  #measuring: AbortController | null = null;

  constructor(session: SongSession, playback: Playback) {
    this.#session = session;
    this.#playback = playback;
  }

  /** Hears the bed alone once it is measured, or all as before. */
  async toggle(): Promise<void> {
    const { alone, share } = this.store.getState();
    if (alone || share !== null) {
      this.end();
      return;
    }
    const { song } = this.#session.store.getState();
    const frames = songFrames(song);
    const { loop, looping } = this.#playback.store.getState();
    const from = Math.min((looping && loop?.start) || 0, frames);
    const to = Math.min(looping && loop ? loop.end : frames, frames);
    const measuring = new AbortController();
    this.#measuring = measuring;
    this.store.setState({ share: 0 });
    const splices = this.#playback.wholeSplices(song);
    const loudness = async (root: string, begun: number) => {
      const { report } = await ask(
        songMeasurer,
        { song, root, from, to, splices },
        {
          signal: measuring.signal,
          progress: (share) => this.store.setState({ share: begun + share / 2 }),
        },
      );
      return report.loudnessLufs;
    };
    try {
      const mix = await loudness(roots.song, 0);
      const bed = await loudness(bedRoot, 0.5);
      if (mix === null || bed === null) {
        say(`Nothing sounds ${mix === null ? 'in the mix' : 'in the bed'} there.`);
        this.end();
        return;
      }
      const matchedDb = Math.max(-mostDb, Math.min(mostDb, mix - bed));
      this.#measuring = null;
      this.store.setState({ alone: true, matchedDb, matchedTo: song, share: null });
      this.#playback.listen({ mixHeard: false, bedMatch: dbToGain(db(matchedDb)) });
    } catch (error) {
      if (this.#measuring !== measuring) return;
      this.end();
      if (!wasStopped(error)) say(sentenceOf(error));
    }
  }

  /** All is heard as before. */
  end(): void {
    this.#measuring?.abort();
    this.#measuring = null;
    this.store.setState({ alone: false, matchedDb: null, matchedTo: null, share: null });
    const { monitoring } = this.#playback.store.getState();
    if (!monitoring.mixHeard) this.#playback.listen({ mixHeard: true, bedMatch: 1 });
  }
}
