import { failure, success, type Outcome } from '../outcome.ts';
import { allOf, checkGroup, checkParameter, defaults, describe } from '../parameters/parameter.ts';
import {
  colourParameters,
  driftParameters,
  tunerParameters,
  voiceParameters,
} from '../parameters/tables.ts';
import {
  hz,
  ms,
  msToFrames,
  frames,
  framesToMs,
  type Frames,
  type Ms,
} from '../quantities/units.ts';
import { figure } from '../quantities/wording.ts';
import type { Colour } from './colour.ts';
import type { Drift } from './drift.ts';
import { checkTone, neutralTone, type Tone } from './tone.ts';

/** A delay as it was typed: what was typed is what is stored. */
export interface Delay {
  readonly value: number;
  readonly unit: 'ms' | 'samples';
}

export type Placement =
  | { readonly kind: 'pan'; readonly panPercent: number }
  /** To L as it is, to R with inverted polarity: it lives in the difference and vanishes in the fold. */
  | { readonly kind: 'mirror' }
  /** To both sides, each through all-pass filters unlike the other's, never more than so many degrees apart. */
  | { readonly kind: 'spread'; readonly degrees: number };

export const tunerKinds = ['single', 'chords', 'struck'] as const;
/** Single lines, chords, struck sounds: where and how long the splices are. */
export type TunerKind = (typeof tunerKinds)[number];

export interface Tuner {
  readonly kind: TunerKind;
  readonly cents: number;
  readonly semitones: number;
  /** How much of the voice is tuned; the rest is the take at the same delay. */
  readonly mixPercent: number;
  /** Moves the timbre while the pitch stays. */
  readonly timbreSemitones: number;
}

/** A placed copy of a take. */
export interface Voice {
  readonly id: string;
  readonly name: string;
  /** Which of the part's takes, from 1. */
  readonly take: number;
  readonly placement: Placement;
  readonly levelDb: number;
  readonly delay: Delay;
  readonly tuner: Tuner;
  readonly drift: Drift;
  readonly colour: Colour;
  readonly polarity: 'normal' | 'inverted';
  readonly tone: Tone;
  readonly muted: boolean;
}

/** A voice's groups of values, any of which may be given in part. */
export interface VoiceChanges extends Partial<
  Omit<Voice, 'id' | 'tuner' | 'drift' | 'colour' | 'tone'>
> {
  readonly tuner?: Partial<Tuner>;
  readonly drift?: Partial<Drift>;
  readonly colour?: Partial<Colour>;
  readonly tone?: Partial<Tone>;
}

export const neutralTuner: Tuner = {
  kind: 'single',
  ...defaults<Omit<Tuner, 'kind'>>(tunerParameters),
};

export function newVoice(id: string, name: string, changes: VoiceChanges = {}): Voice {
  return {
    id,
    name,
    take: 1,
    placement: { kind: 'pan', panPercent: 0 },
    levelDb: 0,
    delay: { value: 0, unit: 'ms' },
    polarity: 'normal',
    muted: false,
    ...changes,
    tuner: { ...neutralTuner, ...changes.tuner },
    drift: { ...defaults<Drift>(driftParameters), ...changes.drift },
    colour: { ...defaults<Colour>(colourParameters), ...changes.colour },
    tone: { ...neutralTone, ...changes.tone },
  };
}

/** The whole interval in cents, fine and coarse. */
export function tuningCents({ cents, semitones }: Tuner): number {
  return cents + 100 * semitones;
}

/** Whether a voice is tuned at all, as far as it is heard. */
export function isTuned({ tuner }: Voice): boolean {
  return tuningCents(tuner) !== 0 && tuner.mixPercent > 0;
}

export function isColoured({ colour }: Voice): boolean {
  return colour.oddPercent !== 0 || colour.evenPercent !== 0;
}

/** A voice that does not stay at one delay: its combs do not stand still. */
export function wanders(voice: Voice): boolean {
  return isTuned(voice) || voice.drift.rangeMs > 0;
}

export function delayInFrames(delay: Delay, rateHz: number): Frames {
  return delay.unit === 'samples' ? frames(delay.value) : msToFrames(ms(delay.value), hz(rateHz));
}

export function delayInMs(delay: Delay, rateHz: number): Ms {
  return delay.unit === 'ms' ? ms(delay.value) : framesToMs(frames(delay.value), hz(rateHz));
}

/** The range in ms, whatever the unit; the sentence speaks in the unit that was typed. */
export function checkDelay(delay: Delay, rateHz: number, place: string): Outcome<Delay> {
  if (delay.unit !== 'ms' && delay.unit !== 'samples')
    return failure(
      'unknown-unit',
      `Delay must be in “ms” or “samples”; it was ${describe(delay.unit)}.`,
      `${place}.unit`,
    );
  if (typeof delay.value !== 'number' || delay.unit === 'ms' || !Number.isFinite(delay.value)) {
    const checked = checkParameter(voiceParameters.delayMs, delay.value, `${place}.value`);
    return checked.ok ? success(delay) : checked;
  }
  const { min, max } = voiceParameters.delayMs;
  const inMs = delayInMs(delay, rateHz);
  if (inMs >= min && inMs <= max) return success(delay);
  const limit = (edge: number) => figure((edge * rateHz) / 1000, 0);
  return failure(
    'out-of-range',
    `Delay must be between ${limit(min)} and ${limit(max)} samples (−50 and 150 ms); it was ${delay.value}.`,
    `${place}.value`,
  );
}

/** All that can be wrong with the values of a voice; `takes` is how many takes there are to choose from. */
export function checkVoice(
  voice: Voice,
  rateHz: number,
  takes: number,
  place: string,
): Outcome<Voice> {
  if (typeof voice.name !== 'string' || voice.name.length < 1 || voice.name.length > 60)
    return failure(
      'bad-name',
      `A voice's name has 1 to 60 characters; it was ${describe(voice.name)}.`,
      `${place}.name`,
    );
  if (!Number.isInteger(voice.take) || voice.take < 1 || voice.take > takes)
    return failure(
      'unknown-take',
      takes === 1
        ? `Take must be 1, since there is one take; it was ${describe(voice.take)}.`
        : `Take must be a whole number from 1 to ${takes}; it was ${describe(voice.take)}.`,
      `${place}.take`,
    );
  if (voice.polarity !== 'normal' && voice.polarity !== 'inverted')
    return failure(
      'bad-polarity',
      `Polarity must be “normal” or “inverted”; it was ${describe(voice.polarity)}.`,
      `${place}.polarity`,
    );
  if (typeof voice.muted !== 'boolean')
    return failure(
      'bad-muted',
      `Muted must be true or false; it was ${describe(voice.muted)}.`,
      `${place}.muted`,
    );
  return allOf(
    voice,
    checkPlacement(voice.placement, `${place}.placement`),
    checkParameter(voiceParameters.levelDb, voice.levelDb, `${place}.levelDb`),
    checkDelay(voice.delay, rateHz, `${place}.delay`),
    checkGroup(tunerParameters, voice.tuner, `${place}.tuner`, ['kind']),
    tunerKinds.includes(voice.tuner.kind)
      ? success(0)
      : failure(
          'unknown-choice',
          `The tuner is for ${tunerKinds.map((kind) => `“${kind}”`).join(', ')}; it was ${describe(voice.tuner.kind)}.`,
          `${place}.tuner.kind`,
        ),
    checkGroup(driftParameters, voice.drift, `${place}.drift`),
    checkGroup(colourParameters, voice.colour, `${place}.colour`),
    checkTone(voice.tone, `${place}.tone`),
  );
}

function checkPlacement(placement: Placement, place: string): Outcome<unknown> {
  switch (placement.kind) {
    case 'mirror':
      return success(placement);
    case 'pan':
      return checkParameter(
        voiceParameters.panPercent,
        placement.panPercent,
        `${place}.panPercent`,
      );
    case 'spread':
      return checkParameter(voiceParameters.degrees, placement.degrees, `${place}.degrees`);
    default:
      return failure(
        'unknown-placement',
        `Placement must be “pan”, “mirror” or “spread”; it was ${describe((placement as { kind?: unknown }).kind)}.`,
        `${place}.kind`,
      );
  }
}
