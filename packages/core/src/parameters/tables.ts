import type { Change, Parameter } from './parameter.ts';

type Rest = Partial<Pick<Parameter, 'scale' | 'off' | 'whole' | 'moves'>>;

function row<More extends Rest = Rest>(
  label: string,
  unit: string,
  [min, max]: readonly [number, number],
  fallback: number,
  [step, places]: readonly [number, number],
  change: Change,
  rest?: More,
): Parameter & More {
  return { label, unit, min, max, default: fallback, step, places, change, ...rest } as Parameter &
    More;
}

/** A frequency that is heard in octaves. */
const octaves = { scale: 'log' } as const;
/** A frequency that can also be off, which is `null` in the document. */
const octavesOrOff = { scale: 'log', off: 'off' } as const;

/** What a voice can be given. A delay is kept as it was typed, in ms or samples; the table holds its range in ms. */
export const voiceParameters = {
  panPercent: row('Position', '%', [-100, 100], 0, [1, 0], 'ramp', { moves: true }),
  degrees: row('Phase apart', '°', [0, 120], 60, [1, 0], 'crossfade'),
  levelDb: row('Level', 'dB', [-60, 12], 0, [0.5, 1], 'ramp', { moves: true }),
  delayMs: row('Delay', 'ms', [-50, 150], 0, [0.1, 2], 'crossfade', { moves: true }),
} as const;

export const tunerParameters = {
  cents: row('Tuning', 'cents', [-50, 50], 0, [0.5, 1], 'crossfade'),
  semitones: row('Transposition', 'semitones', [-12, 12], 0, [1, 0], 'crossfade', { whole: true }),
  mixPercent: row('Wet', '%', [0, 100], 100, [1, 0], 'ramp'),
  timbreSemitones: row('Timbre', 'semitones', [-12, 12], 0, [0.5, 1], 'crossfade'),
} as const;

export const driftParameters = {
  rangeMs: row('Drift', 'ms', [0, 20], 0, [0.1, 1], 'crossfade'),
  rateHz: row('Drift rate', 'Hz', [0.05, 5], 0.4, [0.05, 2], 'crossfade', octaves),
  seed: row('Seed', '', [0, 999_999], 1, [1, 0], 'crossfade', { whole: true }),
} as const;

/** 100 % puts the third (odd) or second (even) harmonic of the take's peak some 19 dB under it; see voices/colour.ts. */
export const colourParameters = {
  oddPercent: row('Odd harmonics', '%', [0, 100], 0, [1, 0], 'crossfade'),
  evenPercent: row('Even harmonics', '%', [0, 100], 0, [1, 0], 'crossfade'),
} as const;

export const toneParameters = {
  lowCutHz: row('Low cut', 'Hz', [20, 2000], 100, [5, 0], 'crossfade', octavesOrOff),
  highCutHz: row('High cut', 'Hz', [500, 20_000], 8000, [50, 0], 'crossfade', {
    ...octavesOrOff,
    moves: true,
  }),
  tiltDb: row('Tilt', 'dB', [-12, 12], 0, [0.5, 1], 'crossfade'),
} as const;

/** What drives an amp chain and how loud it ends; see amps/drive.ts. */
export const ampParameters = {
  driveDb: row('Drive', 'dB', [0, 60], 0, [0.5, 1], 'crossfade', { moves: true }),
  inputDb: row('Input', 'dB', [-24, 24], 0, [0.5, 1], 'crossfade'),
  squashPercent: row('Squash', '%', [0, 100], 0, [1, 0], 'crossfade'),
  recoveryMs: row('Recovery', 'ms', [20, 2000], 200, [5, 0], 'crossfade', octaves),
  levelDb: row('Output', 'dB', [-24, 24], 0, [0.5, 1], 'ramp'),
} as const;

export const ampToneParameters = {
  lowDb: row('Low', 'dB', [-15, 15], 0, [0.5, 1], 'crossfade'),
  midDb: row('Middle', 'dB', [-15, 15], 0, [0.5, 1], 'crossfade'),
  midHz: row('Middle at', 'Hz', [150, 3000], 500, [10, 0], 'crossfade', octaves),
  highDb: row('High', 'dB', [-15, 15], 0, [0.5, 1], 'crossfade'),
  presenceDb: row('Presence', 'dB', [-15, 15], 0, [0.5, 1], 'crossfade'),
} as const;

/** Before all voices; see amps/shared-drive.ts. */
export const sharedDriveParameters = {
  driveDb: row('Shared drive', 'dB', [0, 60], 0, [0.5, 1], 'crossfade'),
  toneDb: row('Tone', 'dB', [-15, 15], 0, [0.5, 1], 'crossfade'),
  levelDb: row('Level', 'dB', [-24, 24], 0, [0.5, 1], 'crossfade'),
} as const;

/** What a voice has lost; see voices/worn.ts. */
export const wornParameters = {
  bits: row('Bits', '', [2, 16], 10, [1, 0], 'crossfade', { off: 'all', whole: true }),
  heldHz: row('Held at', 'Hz', [1000, 48_000], 12_000, [100, 0], 'crossfade', {
    scale: 'log',
    off: 'all',
  }),
  grainDb: row('Grain', 'dB', [-60, 0], -30, [0.5, 1], 'crossfade', { off: 'none' }),
} as const;

/** Where a microphone stands before a cabinet. */
export const microphoneParameters = {
  acrossPercent: row('Across the cone', '%', [0, 100], 30, [1, 0], 'crossfade'),
  distanceCm: row('Distance', 'cm', [0, 200], 5, [1, 0], 'crossfade'),
} as const;

/** A bell or shelf of an equaliser. */
export const bandParameters = {
  hz: row('Frequency', 'Hz', [20, 20_000], 1000, [10, 0], 'crossfade', octaves),
  db: row('Gain', 'dB', [-18, 18], 0, [0.5, 1], 'crossfade'),
  q: row('Q', '', [0.1, 10], 0.7, [0.1, 1], 'crossfade', octaves),
} as const;

export const compressorParameters = {
  thresholdDb: row('Threshold', 'dB', [-60, 0], -24, [0.5, 1], 'crossfade', { off: 'off' }),
  ratio: row('Ratio', ': 1', [1, 20], 3, [0.1, 1], 'crossfade', octaves),
  attackMs: row('Attack', 'ms', [0.1, 200], 10, [0.5, 1], 'crossfade', octaves),
  releaseMs: row('Release', 'ms', [10, 2000], 150, [5, 0], 'crossfade', octaves),
  makeUpDb: row('Make-up', 'dB', [0, 24], 0, [0.5, 1], 'crossfade'),
} as const;

export const preparationParameters = {
  lowCutHz: row('Low cut', 'Hz', [20, 1000], 80, [5, 0], 'crossfade', octavesOrOff),
} as const;

/** What is done to the stereo sum of the voices. */
export const stageParameters = {
  widthPercent: row('Width', '%', [0, 200], 100, [1, 0], 'ramp', { moves: true }),
  tiltDb: row('Tilt of the difference', 'dB', [-12, 12], 0, [0.5, 1], 'crossfade'),
  flanksDb: row('Flanks', 'dB', [-60, 12], 0, [0.5, 1], 'ramp', { moves: true }),
  balancePercent: row('Balance', '%', [-100, 100], 0, [1, 0], 'ramp'),
  trimDb: row('Trim', 'dB', [-24, 12], 0, [0.5, 1], 'ramp'),
} as const;

export const lowMonoParameters = {
  hz: row('Low end in the middle below', 'Hz', [40, 500], 120, [5, 0], 'crossfade', octavesOrOff),
} as const;

/** Width only above a level. */
export const openingParameters = {
  thresholdDb: row('Width only above', 'dB', [-60, 0], -30, [0.5, 1], 'crossfade', { off: 'off' }),
  attackMs: row('Opens in', 'ms', [1, 200], 20, [1, 0], 'crossfade', octaves),
  releaseMs: row('Closes in', 'ms', [20, 2000], 300, [10, 0], 'crossfade', octaves),
} as const;

/** One take against the others of its part. */
export const takeParameters = {
  levelDb: row('Take level', 'dB', [-24, 24], 0, [0.5, 1], 'crossfade'),
} as const;

export const alignmentParameters = {
  tightnessPercent: row('How tightly', '%', [0, 100], 70, [1, 0], 'crossfade'),
} as const;

export const clipParameters = {
  fadeInMs: row('Fade in', 'ms', [0, 10_000], 5, [1, 0], 'crossfade'),
  fadeOutMs: row('Fade out', 'ms', [0, 10_000], 5, [1, 0], 'crossfade'),
} as const;

/** How silence is told from what sounds. */
export const cutParameters = {
  thresholdDb: row('Silence under', 'dBFS', [-90, -12], -54, [1, 0], 'crossfade'),
  holdMs: row('For longer than', 'ms', [20, 5000], 250, [10, 0], 'crossfade'),
  fadeMs: row('Fades', 'ms', [0, 500], 15, [1, 0], 'crossfade'),
} as const;

export const partParameters = {
  levelDb: row('Part level', 'dB', [-60, 12], 0, [0.5, 1], 'ramp', { moves: true }),
} as const;

export const groupParameters = {
  levelDb: row('Group level', 'dB', [-60, 12], 0, [0.5, 1], 'ramp', { moves: true }),
} as const;

/**
 * What a move adds to each setting that may move. A width that goes below nothing changes the sides' places; of an image in the place of plain 0 % is
 * the image, −100 % plain.
 */
export const movingParameters = {
  levelDb: row('What a point adds to the level', 'dB', [-120, 24], 0, [0.5, 1], 'ramp'),
  flanksDb: row('What a point adds to the flanks', 'dB', [-120, 24], 0, [0.5, 1], 'ramp'),
  panPercent: row('What a point adds to the place', '%', [-200, 200], 0, [1, 0], 'ramp'),
  widthPercent: row('What a point adds to the width', '%', [-400, 200], 0, [1, 0], 'ramp'),
  imagePercent: row('What a point takes of the image', '%', [-100, 0], 0, [1, 0], 'ramp'),
  highCutOctaves: row(
    'What a point adds to the high cut',
    'octaves',
    [-10, 10],
    0,
    [0.1, 2],
    'ramp',
  ),
  delayMs: row('What a point adds to the delay', 'ms', [-200, 200], 0, [0.1, 2], 'ramp'),
  peakDb: row('The peak at the high cut', 'dB', [0, 24], 0, [0.5, 1], 'ramp'),
  driveDb: row('What a point adds to the drive', 'dB', [-60, 60], 0, [0.5, 1], 'ramp'),
} as const;
export type MovingParameter = keyof typeof movingParameters;

/** A corner that moves stays where something is heard. */
export const heardHz = { min: 20, max: 20_000 };

/** What a point of any curve adds; what it may add to one setting stands in `movingParameters`. */
export const pointParameters = {
  by: row('What a point adds', '', [-400, 200], 0, [0.5, 1], 'ramp'),
} as const;

/** How long something takes to go over to what it is in a stretch of the song, and back. */
export const throwFadeParameter: Parameter = row('Fade', 'ms', [4, 5000], 8, [1, 0], 'restart');

/** How something goes to and fro along the song. */
export const cycleParameters = {
  depthDb: row('Depth', 'dB', [0, 60], 6, [0.5, 1], 'ramp'),
  /** Of what moves in %. */
  depthPercent: row('Depth', '%', [0, 400], 100, [1, 0], 'ramp'),
  depthMs: row('Depth', 'ms', [0, 100], 2, [0.1, 2], 'ramp'),
  depthOctaves: row('Depth', 'octaves', [0, 10], 2, [0.1, 1], 'ramp'),
  phasePercent: row('Phase', '%', [0, 100], 0, [1, 0], 'ramp'),
} as const;

/** How fast a cycle goes: so many a second, or every so many beats. */
export const cycleRateParameters = {
  Hz: row('Rate', 'Hz', [0.01, 64], 4, [0.1, 2], 'restart'),
  beats: row('Every', 'beats', [0.01, 64], 1, [0.25, 2], 'restart'),
} as const;

/** A room that parts are fed into. Decay is that of the middle frequencies; lows and highs are shares of it. */
export const roomParameters = {
  decayS: row('Decay', 's', [0.1, 12], 1.4, [0.05, 2], 'crossfade', octaves),
  sizePercent: row('Size', '%', [30, 200], 100, [1, 0], 'crossfade'),
  lowPercent: row('Decay of the lows', '%', [25, 200], 100, [1, 0], 'crossfade'),
  highPercent: row('Decay of the highs', '%', [10, 100], 60, [1, 0], 'crossfade'),
  preDelayLeftMs: row('Pre-delay, left', 'ms', [0, 500], 12, [1, 1], 'crossfade'),
  preDelayRightMs: row('Pre-delay, right', 'ms', [0, 500], 12, [1, 1], 'crossfade'),
  earlyDb: row('Early against late', 'dB', [-60, 12], -4, [0.5, 1], 'ramp'),
  widthPercent: row('Width of the return', '%', [0, 150], 100, [1, 0], 'ramp'),
  lowCutHz: row('Low cut of the return', 'Hz', [20, 1000], 120, [5, 0], 'crossfade', octavesOrOff),
  highCutHz: row('High cut of the return', 'Hz', [1000, 20_000], 9000, [100, 0], 'crossfade', {
    ...octavesOrOff,
  }),
  levelDb: row('Room level', 'dB', [-60, 12], -12, [0.5, 1], 'ramp', { moves: true }),
} as const;

/** An echo: how late each side comes back, and what becomes of it each time round. */
export const echoParameters = {
  timeMs: row('Time, left', 'ms', [5, 2000], 350, [1, 1], 'crossfade'),
  /** By the song's tempo, in the place of the time in ms. */
  beats: row('In beats', 'beats', [0.0625, 8], 0.75, [0.25, 3], 'crossfade', { off: 'off' }),
  ratioPercent: row('Right against left', '%', [50, 200], 100, [1, 1], 'crossfade'),
  feedbackPercent: row('Feedback', '%', [0, 90], 35, [1, 0], 'ramp'),
  crossPercent: row('Crossing', '%', [0, 100], 0, [1, 0], 'ramp'),
  lowCutHz: row('Low cut each time', 'Hz', [20, 1000], 120, [5, 0], 'crossfade', octavesOrOff),
  highCutHz: row('High cut each time', 'Hz', [1000, 20_000], 6000, [100, 0], 'crossfade', {
    ...octavesOrOff,
  }),
} as const;

/** A response of the engineer's own. */
export const responseParameters = {
  decayPercent: row('Decay of its own', '%', [5, 100], 100, [1, 0], 'crossfade'),
} as const;

/** What of a part goes into a room. */
export const feedParameters = {
  levelDb: row('Feed', 'dB', [-60, 12], 0, [0.5, 1], 'ramp', { moves: true }),
} as const;

export const tempoParameters = {
  bpm: row('Tempo', 'beats a minute', [10, 500], 120, [1, 1], 'restart'),
  beatsPerBar: row('Beats in a bar', '', [1, 32], 4, [1, 0], 'restart', { whole: true }),
} as const;

/** How far a performance strays from the notes. */
export const performanceParameters = {
  timingMs: row('Timing strays by', 'ms', [0, 40], 9, [1, 0], 'restart'),
  strengthPercent: row('Strength strays by', '%', [0, 60], 15, [1, 0], 'restart'),
  tuneCents: row('Tune strays by', 'cents', [0, 30], 4, [1, 0], 'restart'),
  /** In hundred-and-twenty-eighths of a whole note. */
  shift128ths: row('Shifted by', '/128 note', [-64, 64], 0, [1, 0], 'restart', { whole: true }),
} as const;

export const bedParameters = {
  levelDb: row('Bed level', 'dB', [-60, 12], 0, [0.5, 1], 'ramp'),
} as const;

/** Of what is heard; never exported. */
export const outputParameters = {
  levelDb: row('Output level', 'dB', [-60, 0], 0, [1, 0], 'ramp'),
} as const;

/** Rates that recordings and songs may have. */
export const rateParameter: Parameter = row(
  'Sample rate',
  'Hz',
  [8000, 192_000],
  48_000,
  [1, 0],
  'restart',
  { whole: true },
);

/** A gain or matrix goes to its new value over this time: long enough not to click. */
export const gainChangeMs = 20;
/**
 * A voice goes over to its new delay, tuning and gains in this time. A pointer that drags sends a change with each frame of
 * the display, sixty a second: fades of twice that overlap by half and add up to an even motion.
 */
export const voiceChangeMs = 32;
