import { apply } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import { moveOf } from '@pannet/core/song/moves-of';
import { changedSettings } from '@pannet/core/song/settings';
import type { Song } from '@pannet/core/song/song';
import { say } from '../controls/notices.ts';
import type { Playback } from '../playback/playback.ts';
import type { SongSession } from '../sync/song-session.ts';
import { Hand } from './hand.ts';

/**
 * Writes along the song what a control would set that is held while it plays. Whatever may move is written by the control that sets it: what it is
 * moved by is added to what is there at that moment. The control shows what it is moved to; what is heard is what is written.
 */
export class Pen {
  readonly #session: SongSession;
  readonly #playback: Playback;
  readonly #busy: () => boolean;
  #hand: Hand | null = null;
  /** What the control would set, and what is written so far. */
  #shown: readonly Edit[] = [];
  #written: readonly Edit[] = [];
  #heard: Song | null = null;
  /** Written as far as it goes, or given up, while the control is still held: until it is let go of it does nothing. */
  #spent = false;
  #said = false;
  /** A key that is let go of lets go of nothing that a pointer holds: Space stops the song meanwhile. */
  #pointerHeld = false;

  /** @param busy while something is tried, what is held belongs to that */
  constructor(session: SongSession, playback: Playback, busy: () => boolean) {
    this.#session = session;
    this.#playback = playback;
    this.#busy = busy;
    for (const kind of pointing) addEventListener(kind, this.#onPointer, { capture: true });
  }

  close(): void {
    for (const kind of pointing) removeEventListener(kind, this.#onPointer, { capture: true });
    this.#leave();
  }

  readonly #onPointer = ({ type }: Event): void => {
    this.#pointerHeld = type === 'pointerdown';
  };

  get writes(): boolean {
    return this.#hand !== null || this.#spent;
  }

  /** What is heard while something is written; null while nothing is. */
  get heard(): Song | null {
    return this.#heard;
  }

  /** @returns whether what these edits would show is written */
  preview(edits: readonly Edit[]): boolean {
    if (this.#spent) return true;
    const playing = this.#playback.store.getState().state === 'playing';
    if ((!this.#hand && !playing) || this.#busy()) return false;
    const { song } = this.#session.store.getState();
    const applied = apply(song, { id: 'preview', name: 'preview', role: 'do', edits });
    if (!applied.ok) return false;
    const changed = changedSettings(song, applied.value.song);
    const written = changed.filter(({ target }) => moveOf(song, target)?.curve.kind !== 'cycle');
    if (!this.#hand && written.length === 0) {
      this.#sayWhy(changed.length > 0, song, applied.value.song);
      return false;
    }
    this.#hand ??= this.#begin();
    this.#hand.restOf(written.map(({ target }) => target));
    for (const { target, by } of written) this.#hand.hold(target, (was) => was + by);
    this.#shown = edits;
    this.#show(this.#written);
    return true;
  }

  #show(written: readonly Edit[]): void {
    const { song } = this.#session.store.getState();
    if (written !== this.#written || !this.#heard) {
      this.#written = written;
      const heard = apply(song, { id: 'heard', name: 'heard', role: 'do', edits: written });
      // Before anything is written all is as it was.
      this.#heard = heard.ok ? heard.value.song : song;
    }
    this.#session.preview([...this.#shown, ...written]);
  }

  #end(): Hand | null {
    const hand = this.#hand;
    this.#hand = null;
    this.#heard = null;
    this.#written = [];
    this.#said = false;
    return hand;
  }

  /** A step of work. @returns whether that is done with: it is of the control that is let go of, and was written */
  done(edits: readonly Edit[]): boolean {
    const kinds = new Set(this.#shown.map(({ kind }) => kind));
    return this.#letGo() && edits.every(({ kind }) => kinds.has(kind));
  }

  #letGo(): boolean {
    const hand = this.#end();
    hand?.letGo();
    return hand !== null || this.#spent;
  }

  #begin(): Hand {
    for (const kind of lettingGo) addEventListener(kind, this.#letGoSoon, { capture: true });
    addEventListener('keydown', this.#giveUp, { capture: true });
    return new Hand(
      this.#session,
      this.#playback,
      (edits) => this.#show(edits),
      () => {
        this.#end();
        this.#spent = true;
      },
    );
  }

  /** A control that comes back to where it began keeps nothing by itself; one that does is to be heard first. */
  readonly #letGoSoon = ({ type }: Event): void => {
    if (type === 'keyup' && this.#pointerHeld) return;
    this.#leave();
    setTimeout(() => {
      this.#letGo();
      this.#spent = false;
    });
  };

  #leave(): void {
    for (const kind of lettingGo) removeEventListener(kind, this.#letGoSoon, { capture: true });
    removeEventListener('keydown', this.#giveUp, { capture: true });
  }

  readonly #giveUp = ({ key }: KeyboardEvent): void => {
    if (key !== 'Escape' || !this.#hand) return;
    this.#end()?.drop();
    this.#spent = true;
  };

  #sayWhy(cycles: boolean, before: Song, after: Song): void {
    const sounds = ({ parts, groups, rooms }: Song) => JSON.stringify([parts, groups, rooms]);
    if (this.#said || (!cycles && sounds(before) === sounds(after))) return;
    this.#said = true;
    say(
      cycles
        ? 'It goes by a cycle, which is not written over: it is set for all of the song.'
        : 'This does not move along the song: it is set for all of it.',
    );
  }
}

const pointing = ['pointerdown', 'pointerup', 'pointercancel'] as const;
const lettingGo = ['pointerup', 'pointercancel', 'keyup'] as const;
