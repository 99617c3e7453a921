import type { Image } from '../image/image.ts';
import type { Stage } from '../image/stage.ts';
import { success, type Outcome } from '../outcome.ts';
import type { Preparation } from '../takes/preparation.ts';
import type { PanLaw } from '../voices/pan-law.ts';
import type { Voice } from '../voices/voice.ts';
import type { Bed, Comparison, Family, Part, Recording, Song } from './song.ts';

/** The smallest changes of a song. They carry absolute values, never differences. */
export type Edit =
  | { readonly kind: 'set-title'; readonly title: string }
  | { readonly kind: 'set-pan-law'; readonly panLaw: PanLaw }
  | { readonly kind: 'put-recording'; readonly recording: Recording }
  | { readonly kind: 'drop-recording'; readonly hash: string }
  | { readonly kind: 'set-rate'; readonly rateHz: number | null }
  | { readonly kind: 'set-bed'; readonly bed: Bed | null }
  | { readonly kind: 'add-part'; readonly part: Part; readonly index: number }
  | { readonly kind: 'remove-part'; readonly partId: string }
  | { readonly kind: 'set-part'; readonly partId: string; readonly changes: PartChanges }
  | { readonly kind: 'set-image'; readonly partId: string; readonly image: Image }
  | {
      readonly kind: 'set-voice';
      readonly partId: string;
      readonly voiceId: string;
      readonly changes: Partial<Omit<Voice, 'id'>>;
    }
  | { readonly kind: 'set-stage'; readonly partId: string; readonly changes: Partial<Stage> }
  | { readonly kind: 'set-preparation'; readonly partId: string; readonly preparation: Preparation }
  /** Keeps an image under a number key; null clears it. */
  | {
      readonly kind: 'set-draft';
      readonly partId: string;
      readonly number: string;
      readonly image: Image | null;
    }
  /** Which draft the image was last kept as or recalled from. */
  | { readonly kind: 'choose-draft'; readonly partId: string; readonly number: string | null }
  | { readonly kind: 'add-comparison'; readonly comparison: Comparison; readonly index: number }
  | { readonly kind: 'remove-comparison'; readonly id: string };

export type PartChanges = Partial<{
  name: string;
  family: Family;
  levelDb: number;
  muted: boolean;
  plainVoice: string | null;
  toggleKey: string | null;
}>;

export interface Edited {
  readonly song: Song;
  /** Restores the song as it was, field for field. */
  readonly inverse: Edit;
}

export function edited(song: Song, inverse: Edit): Outcome<Edited> {
  return success({ song, inverse });
}

/** The values that `changes` replaces. */
export function earlier<Thing extends object>(
  thing: Thing,
  changes: Partial<Thing>,
): Partial<Thing> {
  return Object.fromEntries(
    Object.keys(changes).map((key) => [key, thing[key as keyof Thing]]),
  ) as Partial<Thing>;
}
