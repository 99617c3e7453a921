import {
  choice,
  flag,
  group,
  thing,
  withDefaults,
  type Described,
} from '../parameters/description.ts';
import { ampParameters, ampToneParameters, microphoneParameters } from '../parameters/tables.ts';
import { cabinetKinds } from './cabinet.ts';
import { driveShapes } from './drive.ts';

const cabinetDescription = thing({
  kind: choice(cabinetKinds),
  ...group(microphoneParameters),
  /** The way to the microphone is heard as a delay; otherwise it is taken out. */
  keepDelay: flag('Whether the delay of the distance is kept').default(false),
});

/**
 * What a voice is played through: input, drive, tone, squash, cabinet and microphone, output, in this order. No drive and no squash are
 * exactly linear.
 */
export const ampDescription = thing({
  ...group(ampParameters),
  shape: choice(driveShapes).default('soft'),
  tone: withDefaults(group(ampToneParameters)),
  cabinet: cabinetDescription.nullable().default(null),
});
export type Amp = Described<typeof ampDescription>;
export type AmpTone = Amp['tone'];
export type Cabinet = NonNullable<Amp['cabinet']>;

/** As a chain begins: a little driven, before a cabinet of middle size. */
export const usualAmp: Amp = ampDescription.parse({
  driveDb: 12,
  squashPercent: 20,
  cabinet: { kind: 'closed-two-cone' },
});

/** Linear. */
export function ampGain(amp: Amp | null): number {
  return amp ? 10 ** (amp.levelDb / 20) : 1;
}
