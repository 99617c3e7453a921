import { group, thing, type Described } from '../parameters/description.ts';
import { toneParameters } from '../parameters/tables.ts';
import type { BiquadCoefficients } from '../signal/biquad.ts';
import { bell, highPass, highShelf, lowPass } from '../signal/filters.ts';
import { bandDescription } from '../takes/equaliser.ts';

const toneShape = { ...group(toneParameters), bell: bandDescription.prefault({}) };

/** What one voice sounds like against the others. Half of a tilt lies under the pivot down, half over it up. */
export const toneDescription = thing(toneShape)
  .superRefine((tone, context) => {
    const { lowCutHz, highCutHz } = tone;
    if (lowCutHz !== null && highCutHz !== null && lowCutHz >= highCutHz)
      context.addIssue({
        code: 'custom',
        path: ['lowCutHz'],
        params: { code: 'nothing-left' },
        message: `The low cut must lie under the high cut (${highCutHz} Hz); it was ${lowCutHz} Hz.`,
      });
  })
  .prefault({});
export type Tone = Described<typeof toneDescription>;

export const neutralTone: Tone = toneDescription.parse({});

/** Common practice: tilts turn about the middle of what is heard. */
export const tiltPivotHz = 1000;
/** A shelf so soft that the slope spreads over some three octaves. */
const tiltQ = 0.35;

export function isNeutralTone({ lowCutHz, highCutHz, tiltDb, bell }: Tone): boolean {
  return lowCutHz === null && highCutHz === null && tiltDb === 0 && bell.db === 0;
}

/**
 * The sections of a tone.
 * @param ratio how much higher the voice is read afterwards: the filters stand so much lower, to end where they belong
 */
export function toneSections(tone: Tone, rateHz: number, ratio: number): BiquadCoefficients[] {
  const { lowCutHz, highCutHz, tiltDb } = tone;
  const sections: BiquadCoefficients[] = [];
  if (lowCutHz !== null) sections.push(highPass(lowCutHz / ratio, Math.SQRT1_2, rateHz));
  if (highCutHz !== null) sections.push(lowPass(highCutHz / ratio, Math.SQRT1_2, rateHz));
  if (tone.bell.db !== 0)
    sections.push(bell(tone.bell.hz / ratio, tone.bell.db, tone.bell.q, rateHz));
  if (tiltDb !== 0) {
    const shelf = highShelf(tiltPivotHz / ratio, tiltDb, tiltQ, rateHz);
    const down = 10 ** (-tiltDb / 40);
    sections.push({ ...shelf, b0: shelf.b0 * down, b1: shelf.b1 * down, b2: shelf.b2 * down });
  }
  return sections;
}
