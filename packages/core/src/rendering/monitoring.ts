import type { Listening } from './listening.ts';

/** How the song is listened to. None of it is in the document, and none of it is exported. */
export interface Monitoring {
  readonly listening: Listening;
  /** Where any part is soloed, only those are heard. */
  readonly solo: readonly string[];
  /** Parts heard plain, each at the linear gain that makes plain as loud as the image. */
  readonly plain: Readonly<Record<string, number>>;
  /** Linear gains of images that are only being tried, so that they are as loud as what they would replace. */
  readonly image: Readonly<Record<string, number>>;
  /** Linear gains of groups whose drafts are compared, so that they are as loud as what was heard when that began. */
  readonly groups: Readonly<Record<string, number>>;
  readonly bedHeard: boolean;
  /** Whether anything but the bed is heard: without it the bed is set beside the mix. */
  readonly mixHeard: boolean;
  /** Linear gain of the bed beside its own level: it is as loud as the mix that it is set beside. */
  readonly bedMatch: number;
  /** Whether what rooms give back is heard. */
  readonly roomsHeard: boolean;
  /** Of all that is heard, linear; the last thing before the speakers. */
  readonly level: number;
}

export const plainMonitoring: Monitoring = {
  listening: 'stereo',
  solo: [],
  plain: {},
  image: {},
  groups: {},
  bedHeard: true,
  mixHeard: true,
  bedMatch: 1,
  roomsHeard: true,
  level: 1,
};
