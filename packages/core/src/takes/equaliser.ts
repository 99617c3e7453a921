import { failure, type Outcome } from '../outcome.ts';
import { allOf, checkGroup, describe } from '../parameters/parameter.ts';
import { bandParameters } from '../parameters/tables.ts';
import type { BiquadCoefficients } from '../signal/biquad.ts';
import { bell, highShelf, lowShelf } from '../signal/filters.ts';

/** One bell. */
export interface Band {
  readonly hz: number;
  readonly db: number;
  readonly q: number;
}

export const bandKinds = ['bell', 'low shelf', 'high shelf'] as const;

/** A bell or a shelf. */
export interface EqualiserBand extends Band {
  readonly kind: (typeof bandKinds)[number];
}

export function bandSection(band: EqualiserBand, rateHz: number): BiquadCoefficients {
  const { kind, hz, db, q } = band;
  switch (kind) {
    case 'bell':
      return bell(hz, db, q, rateHz);
    case 'low shelf':
      return lowShelf(hz, db, q, rateHz);
    case 'high shelf':
      return highShelf(hz, db, q, rateHz);
  }
}

export function checkEqualiserBand(band: EqualiserBand, place: string): Outcome<EqualiserBand> {
  const values = checkGroup(bandParameters, band, place, ['kind']);
  if (!values.ok) return values;
  return allOf(
    band,
    bandKinds.includes(band.kind)
      ? values
      : failure(
          'unknown-choice',
          `A band is one of ${bandKinds.map((kind) => `“${kind}”`).join(', ')}; it was ${describe(band.kind)}.`,
          `${place}.kind`,
        ),
  );
}
