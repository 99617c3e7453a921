import { choice, group, thing, type Described } from '../parameters/description.ts';
import { bandParameters } from '../parameters/tables.ts';
import type { BiquadCoefficients } from '../signal/biquad.ts';
import { bell, highShelf, lowShelf } from '../signal/filters.ts';

/** One bell. */
export const bandShape = group(bandParameters);
export const bandDescription = thing(bandShape);
export type Band = Described<typeof bandDescription>;

export const bandKinds = ['bell', 'low shelf', 'high shelf'] as const;

/** A bell or a shelf, with what it is where it is not said. */
function equaliserBand(kind: (typeof bandKinds)[number], hz: number, q: number) {
  return thing({
    kind: choice(bandKinds).default(kind),
    hz: bandShape.hz.unwrap().default(hz),
    db: bandShape.db,
    q: bandShape.q.unwrap().default(q),
  });
}

/** From the bottom up. */
export const equaliserBands = [
  equaliserBand('low shelf', 150, 0.7),
  equaliserBand('bell', 400, 1),
  equaliserBand('high shelf', 8000, 0.7),
] as const;

export type EqualiserBand = Described<(typeof equaliserBands)[number]>;

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
