import { ampDescription, type Amp } from '../amps/amp.ts';
import type { CabinetKind } from '../amps/cabinet.ts';
import type { VoiceChanges } from '../voices/voice.ts';
import { image, left, right, type Recipe } from './recipe.ts';

interface Chain {
  readonly cabinet: CabinetKind;
  readonly across?: number;
  readonly driveDb?: number;
  readonly shape?: Amp['shape'];
  readonly tone?: Partial<Amp['tone']>;
  readonly squash?: number;
  /** So that both are about as loud. */
  readonly levelDb?: number;
}

function chain({ cabinet, across = 30, squash = 15, ...rest }: Chain): Amp {
  const { driveDb = 6, shape = 'soft', tone = {}, levelDb = -6 } = rest;
  return ampDescription.parse({
    driveDb,
    shape,
    tone,
    squashPercent: squash,
    levelDb,
    cabinet: { kind: cabinet, acrossPercent: across },
  });
}

/** Voices of recipes that play one clean take through two or three chains. */
const ampVoices = {
  twoCabinets: [
    ['left cabinet', { placement: left, amp: chain({ cabinet: 'small-open-backed' }) }],
    [
      'right cabinet',
      { placement: right, amp: chain({ cabinet: 'squat-four-cone', across: 45, levelDb: -4.5 }) },
    ],
  ],
  cleanAndDriven: [
    [
      'left clean',
      { placement: left, amp: chain({ cabinet: 'wide-open-backed', driveDb: 3, levelDb: -3.5 }) },
    ],
    [
      'right driven',
      {
        placement: right,
        amp: chain({ cabinet: 'closed-one-cone', driveDb: 22, shape: 'hard', levelDb: -17.5 }),
      },
    ],
  ],
  threeChains: [
    ['clean', { amp: chain({ cabinet: 'closed-two-cone', driveDb: 2, levelDb: -5 }) }],
    [
      'left driven',
      {
        placement: left,
        amp: chain({ cabinet: 'tall-four-cone', driveDb: 18, levelDb: -18 }),
      },
    ],
    [
      'right driven',
      {
        placement: right,
        amp: chain({ cabinet: 'squat-four-cone', driveDb: 18, shape: 'uneven', levelDb: -18 }),
      },
    ],
  ],
  oneDrive: [
    [
      'left cabinet',
      { placement: left, amp: chain({ cabinet: 'closed-one-cone', driveDb: 16, levelDb: -13 }) },
    ],
    [
      'right cabinet',
      { placement: right, amp: chain({ cabinet: 'tall-four-cone', driveDb: 16, levelDb: -13 }) },
    ],
  ],
  darkAndBright: [
    [
      'left dark',
      {
        placement: left,
        amp: chain({
          cabinet: 'wide-open-backed',
          tone: { lowDb: 2, highDb: -5 },
          levelDb: -5,
        }),
      },
    ],
    [
      'right bright',
      {
        placement: right,
        amp: chain({
          cabinet: 'closed-two-cone',
          tone: { lowDb: -3, highDb: 4, presenceDb: 3 },
          levelDb: -5.5,
        }),
      },
    ],
  ],
} as const satisfies Record<string, readonly (readonly [string, VoiceChanges])[]>;

/** Two chains on one take differ in colour and drive, and in time by next to nothing. */
const chained = {
  suits: ['clean'],
  meant: ['squash-differs', 'sides-uneven', 'only-a-copy', 'leans', 'hollow'],
} as const satisfies Partial<Recipe>;

/** Both sides speak at once. */
const inTime = { leads: null, combed: false } as const;

/** One clean take through two or three chains. */
export const ampRecipes: readonly Recipe[] = [
  {
    ...chained,
    id: 'two-cabinets',
    name: 'Two unlike cabinets',
    sentence:
      'One clean take, a little driven, through a small open-backed cabinet at the left and four squat cones at the right: two colours of one performance, the wider the more lows it has. The fold loses up to two decibels and cuts little out.',
    promise: {
      ...inTime,
      foldDb: [-2.4, -0.2],
      widthDb: [-14, -1.2],
      onFewTones: { foldDb: [-2.8, -0.2], widthDb: [-14, 0] },
    },
    image: image(ampVoices.twoCabinets),
  },
  {
    ...chained,
    id: 'clean-and-driven',
    name: 'Clean and driven',
    sentence:
      'Left clean, right well driven, as loud as each other: chords stay open and get an edge. Long chords jump to the driven side; even them out, or put both in the middle.',
    promise: { ...inTime, foldDb: [-1.3, 0], widthDb: [-16, -5.5] },
    image: image(ampVoices.cleanAndDriven),
  },
  {
    ...chained,
    id: 'three-chains',
    name: 'Three chains, clean in the middle',
    sentence:
      'The clean chain stays in the middle, two driven ones lie left and right under it: the line stays where it is, and its edge is wide.',
    promise: { ...inTime, foldDb: [-1.2, 0.2], widthDb: [-22, -8] },
    image: image(ampVoices.threeChains),
  },
  {
    ...chained,
    id: 'one-drive-two-cabinets',
    name: 'One drive, two cabinets',
    sentence:
      'The same drive left and right through unlike cabinets: what jumps jumps on both sides, and only the colour is wide.',
    promise: { ...inTime, foldDb: [-1.2, 0.2], widthDb: [-18, -8] },
    image: image(ampVoices.oneDrive),
  },
  {
    ...chained,
    id: 'dark-left-bright-right',
    name: 'Dark left, bright right',
    sentence:
      'A wide cabinet with its top turned down at the left, a closed bright one at the right: lows lie left, strings right. The fold has both.',
    promise: { ...inTime, foldDb: [-2.4, 0], widthDb: [-17, -3] },
    image: image(ampVoices.darkAndBright),
  },
];
