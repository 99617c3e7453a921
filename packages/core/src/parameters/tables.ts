import type { Parameter } from './parameter.ts';

/** What a voice can be given. A delay is kept as it was typed, in ms or samples; the table holds its range in ms. */
export const voiceParameters = {
  panPercent: {
    label: 'Position',
    unit: '%',
    min: -100,
    max: 100,
    default: 0,
    step: 1,
    places: 0,
    change: 'ramp',
  },
  levelDb: {
    label: 'Level',
    unit: 'dB',
    min: -60,
    max: 12,
    default: 0,
    step: 0.5,
    places: 1,
    change: 'ramp',
  },
  delayMs: {
    label: 'Delay',
    unit: 'ms',
    min: -50,
    max: 150,
    default: 0,
    step: 0.1,
    places: 2,
    change: 'crossfade',
  },
  cents: {
    label: 'Tuning',
    unit: 'cents',
    min: -50,
    max: 50,
    default: 0,
    step: 0.5,
    places: 1,
    change: 'crossfade',
  },
} as const satisfies Record<string, Parameter>;

/** What is done to the stereo sum of the voices. */
export const stageParameters = {
  widthPercent: {
    label: 'Width',
    unit: '%',
    min: 0,
    max: 200,
    default: 100,
    step: 1,
    places: 0,
    change: 'ramp',
  },
  balancePercent: {
    label: 'Balance',
    unit: '%',
    min: -100,
    max: 100,
    default: 0,
    step: 1,
    places: 0,
    change: 'ramp',
  },
  trimDb: {
    label: 'Trim',
    unit: 'dB',
    min: -24,
    max: 12,
    default: 0,
    step: 0.5,
    places: 1,
    change: 'ramp',
  },
} as const satisfies Record<string, Parameter>;

export const partParameters = {
  levelDb: {
    label: 'Part level',
    unit: 'dB',
    min: -60,
    max: 12,
    default: 0,
    step: 0.5,
    places: 1,
    change: 'ramp',
  },
} as const satisfies Record<string, Parameter>;

export const bedParameters = {
  levelDb: {
    label: 'Bed level',
    unit: 'dB',
    min: -60,
    max: 12,
    default: 0,
    step: 0.5,
    places: 1,
    change: 'ramp',
  },
} as const satisfies Record<string, Parameter>;

/** Rates that recordings and songs may have. */
export const rateParameter: Parameter = {
  label: 'Sample rate',
  unit: 'Hz',
  min: 8000,
  max: 192_000,
  default: 48_000,
  step: 1,
  places: 0,
  change: 'restart',
  whole: true,
};

/** A gain or matrix goes to its new value over this time: long enough not to click. */
export const gainChangeMs = 20;
/**
 * A voice goes over to its new delay, tuning and gains in this time. A pointer that drags sends a change with each frame of
 * the display, sixty a second: fades of twice that overlap by half and add up to an even motion.
 */
export const voiceChangeMs = 32;
