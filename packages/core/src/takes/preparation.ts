import { failure, success, type Outcome } from '../outcome.ts';
import { allOf, checkGroup, defaults } from '../parameters/parameter.ts';
import { compressorParameters, preparationParameters } from '../parameters/tables.ts';
import { Cascade } from '../signal/cascade.ts';
import { highPass } from '../signal/filters.ts';
import { CompressorRun, type Compressor } from './compressor.ts';
import { bandSection, checkEqualiserBand, type EqualiserBand } from './equaliser.ts';

/** What is done to a take before it is spread: low cut, three bands, compressor, in this order. */
export interface Preparation {
  readonly lowCutHz: number | null;
  readonly bands: readonly EqualiserBand[];
  readonly compressor: Compressor;
}

export const preparationBands = 3;

export const neutralPreparation: Preparation = {
  ...defaults<Pick<Preparation, 'lowCutHz'>>(preparationParameters),
  bands: [
    { kind: 'low shelf', hz: 150, db: 0, q: 0.7 },
    { kind: 'bell', hz: 400, db: 0, q: 1 },
    { kind: 'high shelf', hz: 8000, db: 0, q: 0.7 },
  ],
  compressor: defaults(compressorParameters),
};

/** Whether it leaves a take as it is. */
export function isNeutralPreparation({ lowCutHz, bands, compressor }: Preparation): boolean {
  return lowCutHz === null && bands.every(({ db }) => db === 0) && compressor.thresholdDb === null;
}

export function checkPreparation(preparation: Preparation, place: string): Outcome<Preparation> {
  const own = checkGroup(preparationParameters, preparation, place, ['bands', 'compressor']);
  if (!own.ok) return own;
  const { bands, compressor } = preparation;
  if (!Array.isArray(bands) || bands.length !== preparationBands)
    return failure(
      'bad-bands',
      `An equaliser has ${preparationBands} bands; it had ${Array.isArray(bands) ? bands.length : 'none'}.`,
      `${place}.bands`,
    );
  return allOf(
    preparation,
    ...bands.map((band, n) => checkEqualiserBand(band, `${place}.bands[${n}]`)),
    compressor ? checkGroup(compressorParameters, compressor, `${place}.compressor`) : success(0),
  );
}

/** Butterworth. */
const lowCutQ = Math.SQRT1_2;

/** Works through a take in order. */
export class PreparationRun {
  readonly #equaliser: Cascade;
  readonly compressor: CompressorRun;

  constructor({ lowCutHz, bands, compressor }: Preparation, rateHz: number) {
    this.#equaliser = new Cascade([
      ...(lowCutHz === null ? [] : [highPass(lowCutHz, lowCutQ, rateHz)]),
      ...bands.filter(({ db }) => db !== 0).map((band) => bandSection(band, rateHz)),
    ]);
    this.compressor = new CompressorRun(compressor, rateHz);
  }

  /** In place. */
  process(samples: Float64Array): void {
    this.#equaliser.process(samples);
    this.compressor.process(samples);
  }
}
