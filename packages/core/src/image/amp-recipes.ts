import { ampDescription, type Amp } from '../amps/amp.ts';
import type { CabinetKind } from '../amps/cabinet.ts';
import type { Placement, VoiceChanges } from '../voices/voice.ts';

const left: Placement = { kind: 'pan', panPercent: -100 };
const right: Placement = { kind: 'pan', panPercent: 100 };

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
export const ampVoices = {
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
