import * as z from 'zod';
import { failure, success, type Outcome } from '../outcome.ts';
import {
  choice,
  count,
  finite,
  flag,
  group,
  id,
  text,
  thing,
  value,
  withDefaults,
  type Described,
} from '../parameters/description.ts';
import { checkParameter, describe } from '../parameters/parameter.ts';
import { tunerParameters, voiceParameters } from '../parameters/tables.ts';
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
import { ampDescription } from '../amps/amp.ts';
import { colourDescription } from './colour.ts';
import { driftDescription } from './drift.ts';
import { toneDescription } from './tone.ts';
import { wornDescription } from './worn.ts';

/** A delay as it was typed: what was typed is what is stored. What it may be in samples depends on the rate. */
const delayDescription = thing({
  value: finite('Delay').default(voiceParameters.delayMs.default),
  unit: choice(['ms', 'samples']).default('ms'),
})
  .superRefine((delay, context) => {
    if (delay.unit !== 'ms') return;
    const checked = checkParameter(voiceParameters.delayMs, delay.value, '');
    if (!checked.ok)
      context.addIssue({
        code: 'custom',
        path: ['value'],
        params: { code: checked.error.code },
        message: checked.error.sentence,
      });
  })
  .prefault({});
export type Delay = Described<typeof delayDescription>;

const placementDescription = z
  .discriminatedUnion('kind', [
    thing({
      kind: z.literal('pan').optional().default('pan'),
      panPercent: value(voiceParameters.panPercent),
    }),
    /** To L as it is, to R with inverted polarity: it lives in the difference and vanishes in the fold. */
    thing({ kind: z.literal('mirror') }),
    /** To both sides, each through all-pass filters unlike the other's, never more than so many degrees apart. */
    thing({ kind: z.literal('spread'), degrees: value(voiceParameters.degrees) }),
  ])
  .prefault({});
export type Placement = Described<typeof placementDescription>;

/** Kinds that are spliced: where and how long the splices are. */
export const splicedKinds = ['single', 'struck'] as const;
export type SplicedKind = (typeof splicedKinds)[number];
/** Kinds that go through a vocoder, and stay in time to the frame: how long its windows are. */
export const vocodedKinds = ['chords', 'pads'] as const;
export type VocodedKind = (typeof vocodedKinds)[number];
/** What a voice is tuned as: single lines, chords, struck sounds, or steady sounds of many tones. */
export const tunerKinds = ['single', 'chords', 'struck', 'pads'] as const satisfies readonly (
  SplicedKind | VocodedKind
)[];
export type TunerKind = (typeof tunerKinds)[number];

/** `mixPercent` of the voice is tuned, the rest is the take at the same delay; the timbre moves while the pitch stays. */
const tunerDescription = withDefaults({
  kind: choice(tunerKinds).default('single'),
  ...group(tunerParameters),
});
export type Tuner = Described<typeof tunerDescription>;

/** All of a voice but what it is called by others. */
export const voiceShape = {
  name: text("A voice's name", 60),
  /** Which of the part's takes, from 1. */
  take: count('Take', 1).default(1),
  placement: placementDescription,
  levelDb: value(voiceParameters.levelDb),
  delay: delayDescription,
  tuner: tunerDescription,
  drift: driftDescription,
  colour: colourDescription,
  polarity: choice(['normal', 'inverted']).default('normal'),
  tone: toneDescription,
  /** What it is played through; null for nothing. */
  amp: ampDescription.nullable().default(null),
  worn: wornDescription,
  muted: flag('Muted').default(false),
};

/** A placed copy of a take. */
export const voiceDescription = thing({ id: id('a voice'), ...voiceShape });
export type Voice = Described<typeof voiceDescription>;

/** A voice's groups of values, any of which may be given in part. */
export type VoiceChanges = Partial<
  Omit<Voice, 'id' | 'tuner' | 'drift' | 'colour' | 'tone'> & {
    readonly tuner: Partial<Tuner>;
    readonly drift: Partial<Voice['drift']>;
    readonly colour: Partial<Voice['colour']>;
    readonly tone: Partial<Voice['tone']>;
  }
>;

const neutralVoice: Voice = voiceDescription.parse({ id: 'v', name: 'voice' });
export const neutralTuner: Tuner = neutralVoice.tuner;

export function newVoice(id: string, name: string, changes: VoiceChanges = {}): Voice {
  return {
    ...neutralVoice,
    ...changes,
    id,
    name,
    tuner: { ...neutralVoice.tuner, ...changes.tuner },
    drift: { ...neutralVoice.drift, ...changes.drift },
    colour: { ...neutralVoice.colour, ...changes.colour },
    tone: { ...neutralVoice.tone, ...changes.tone },
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

/** The kind that a tuned voice is spliced as; null where it is not spliced. */
export function splicedAs(voice: Voice): SplicedKind | null {
  return tunedAs(voice, splicedKinds);
}

/** The kind as which a tuned voice goes through a vocoder; null where it goes through none. */
export function vocodedAs(voice: Voice): VocodedKind | null {
  return tunedAs(voice, vocodedKinds);
}

function tunedAs<Kind extends TunerKind>(voice: Voice, kinds: readonly Kind[]): Kind | null {
  return isTuned(voice) ? (kinds.find((kind) => kind === voice.tuner.kind) ?? null) : null;
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

/** What a described voice may not be in a song of this rate, with so many takes to choose from. */
export function checkVoice(
  voice: Voice,
  rateHz: number,
  takes: number,
  place: string,
): Outcome<Voice> {
  if (voice.take > takes)
    return failure(
      'unknown-take',
      takes === 1
        ? `Take must be 1, since there is one take; it was ${describe(voice.take)}.`
        : `Take must be a whole number from 1 to ${takes}; it was ${describe(voice.take)}.`,
      `${place}.take`,
    );
  const { delay } = voice;
  const { min, max } = voiceParameters.delayMs;
  const inMs = delayInMs(delay, rateHz);
  if (delay.unit === 'ms' || (inMs >= min && inMs <= max)) return success(voice);
  const limit = (edge: number) => figure((edge * rateHz) / 1000, 0);
  return failure(
    'out-of-range',
    `Delay must be between ${limit(min)} and ${limit(max)} samples (−50 and 150 ms); it was ${delay.value}.`,
    `${place}.delay.value`,
  );
}
