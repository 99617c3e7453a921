import * as z from 'zod';
import {
  choice,
  flag,
  group,
  text,
  thing,
  withDefaults,
  type Described,
} from '../parameters/description.ts';
import { ampParameters, ampToneParameters, microphoneParameters } from '../parameters/tables.ts';
import type { PcmSource } from '../sources/blocks.ts';
import { cabinetKinds } from './cabinet.ts';
import { driveShapes } from './drive.ts';

/** One of ours, worked out from its figures. */
const builtDescription = thing({
  kind: choice(cabinetKinds),
  ...group(microphoneParameters),
  /** The way to the microphone is heard as a delay; otherwise it is taken out. */
  keepDelay: flag('Whether the delay of the distance is kept').default(false),
});

/** One of the engineer's, as it was recorded. */
const recordedDescription = thing({
  /** In a song the content hash of one of its recordings, in an image file the name of a file; its first channel is what counts. */
  impulse: text('An impulse response', 1000),
  keepDelay: flag('Whether what is silent at its beginning is kept').default(true),
  /** Made as loud as nothing, as ours are; otherwise at its own level. */
  levelled: flag('Whether its level is evened').default(false),
});

/**
 * What a voice is played through: input, drive, tone, squash, cabinet and microphone, output, in this order. No drive and no squash are
 * exactly linear.
 */
export const ampDescription = thing({
  ...group(ampParameters),
  shape: choice(driveShapes).default('soft'),
  tone: withDefaults(group(ampToneParameters)),
  cabinet: z.union([builtDescription, recordedDescription]).nullable().default(null),
});
export type Amp = Described<typeof ampDescription>;
export type AmpTone = Amp['tone'];
export type Cabinet = NonNullable<Amp['cabinet']>;
export type BuiltCabinet = Described<typeof builtDescription>;
export type RecordedCabinet = Described<typeof recordedDescription>;

/** A cabinet of ours, or a recorded one as it is read. */
export type HeardThrough =
  | BuiltCabinet
  | (Pick<RecordedCabinet, 'keepDelay' | 'levelled'> & { readonly impulse: PcmSource });

export function isRecorded(cabinet: Cabinet): cabinet is RecordedCabinet {
  return 'impulse' in cabinet;
}

/** An impulse response of the engineer's is no longer. */
export const mostImpulseSeconds = 1;

/** The same chain, its recorded impulse response called otherwise. */
export function renamedImpulse(amp: Amp | null, rename: (impulse: string) => string): Amp | null {
  if (!amp?.cabinet || !isRecorded(amp.cabinet)) return amp;
  return { ...amp, cabinet: { ...amp.cabinet, impulse: rename(amp.cabinet.impulse) } };
}

/** As a chain begins: a little driven, before a cabinet of middle size. */
export const usualAmp: Amp = ampDescription.parse({
  driveDb: 12,
  squashPercent: 20,
  cabinet: { kind: 'closed-two-cone' },
});

/** Where a microphone stands at first. */
export const usualMicrophone: Omit<BuiltCabinet, 'kind'> = {
  acrossPercent: microphoneParameters.acrossPercent.default,
  distanceCm: microphoneParameters.distanceCm.default,
  keepDelay: false,
};

/** Linear. */
export function ampGain(amp: Amp | null): number {
  return amp ? 10 ** (amp.levelDb / 20) : 1;
}
