import type { Command, LoggedCommand } from '@pannet/core/song/commands';
import type { History } from '@pannet/core/song/history';
import type { Song } from '@pannet/core/song/song';
import type { Unsent } from './unsent.ts';

export type Saving =
  | { readonly kind: 'saved' }
  | { readonly kind: 'saving' }
  /** The server does not answer, or cannot take it just now; work goes on and is sent when it can. */
  | {
      readonly kind: 'lost';
      /** What it says of that; null where it does not answer at all. */
      readonly because: string | null;
    }
  /** The session has ended; after signing in again what waits is sent. */
  | { readonly kind: 'signed-out' }
  /** The song was changed in another window. */
  | { readonly kind: 'elsewhere' }
  /** The server took the commands up to here, but not the next one: this one, where it can be named. */
  | { readonly kind: 'refused'; readonly sentence: string; readonly step: Command | null };

export interface SessionState {
  /** Confirmed and pending commands applied. */
  readonly song: Song;
  /** The song with a gesture that is not finished; what is seen and heard. */
  readonly shown: Song;
  readonly history: History;
  readonly pending: readonly LoggedCommand[];
  readonly saving: Saving;
  /**
   * What would become of what waits: “durable” survives a killed browser, “reload” a reload of the page; “pending” is being
   * kept just now, and “none” lives in this page alone.
   */
  readonly kept: 'durable' | 'reload' | 'pending' | 'none';
  /** Steps of earlier visits that do not fit what the song is now; they wait for a decision. */
  readonly leftovers: readonly Unsent[];
}
