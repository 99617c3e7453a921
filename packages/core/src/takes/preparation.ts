import * as z from 'zod';
import { group, withDefaults, type Described } from '../parameters/description.ts';
import { preparationParameters } from '../parameters/tables.ts';
import type { BiquadCoefficients } from '../signal/biquad.ts';
import { Cascade } from '../signal/cascade.ts';
import { highPass } from '../signal/filters.ts';
import { filterMemory, followerMemory, peakGain } from '../signal/memory.ts';
import { CompressorRun, compressorDescription } from './compressor.ts';
import { bandSection, equaliserBands, type EqualiserBand } from './equaliser.ts';

export const preparationBands = equaliserBands.length;

const bandsError = ({ input }: { readonly input?: unknown }) =>
  Array.isArray(input)
    ? `An equaliser has ${preparationBands} bands; it had ${input.length}.`
    : undefined;

/** What is done to a take before it is spread: low cut, three bands, compressor, in this order. */
export const preparationDescription = withDefaults({
  ...group(preparationParameters),
  bands: (
    z.tuple(equaliserBands, { error: bandsError }) as unknown as z.ZodType<EqualiserBand[], unknown>
  ).prefault([{}, {}, {}]),
  compressor: compressorDescription,
});
export type Preparation = Described<typeof preparationDescription>;

export const neutralPreparation: Preparation = preparationDescription.parse({});

/** Whether it leaves a take as it is. */
export function isNeutralPreparation({ lowCutHz, bands, compressor }: Preparation): boolean {
  return lowCutHz === null && bands.every(({ db }) => db === 0) && compressor.thresholdDb === null;
}

/** Butterworth. */
const lowCutQ = Math.SQRT1_2;

function equaliserSections({ lowCutHz, bands }: Preparation, rateHz: number): BiquadCoefficients[] {
  return [
    ...(lowCutHz === null ? [] : [highPass(lowCutHz, lowCutQ, rateHz)]),
    ...bands.filter(({ db }) => db !== 0).map((band) => bandSection(band, rateHz)),
  ];
}

/** How long a preparation remembers, in frames. */
export function preparationMemory(preparation: Preparation, rateHz: number): number {
  const sections = equaliserSections(preparation, rateHz);
  const { thresholdDb, attackMs, releaseMs } = preparation.compressor;
  const filters = filterMemory(sections);
  if (thresholdDb === null) return filters;
  const highest = sections.reduce((gain, section) => gain * peakGain(section), 1);
  return filters + followerMemory(attackMs, releaseMs, thresholdDb, highest, rateHz);
}

/** The same done to both sides of something, which are brought down together. */
export class StereoPreparationRun {
  readonly #sides: readonly [Cascade, Cascade];
  readonly #compressor: CompressorRun;

  constructor(preparation: Preparation, rateHz: number) {
    const sections = equaliserSections(preparation, rateHz);
    this.#sides = [new Cascade(sections), new Cascade(sections)];
    this.#compressor = new CompressorRun(preparation.compressor, rateHz);
  }

  /** In place. */
  process(left: Float64Array, right: Float64Array): void {
    this.#sides[0].process(left);
    this.#sides[1].process(right);
    this.#compressor.process(left, right);
  }

  /** Remembers nothing any more. */
  clear(): void {
    this.#compressor.clear();
    this.#sides[0].clear();
    this.#sides[1].clear();
  }

  get state(): readonly (readonly number[])[] {
    return [this.#compressor.state, this.#sides[0].state, this.#sides[1].state];
  }

  /** Goes on from another one, as far as both are made of the same. */
  set state([compressor, left, right]: readonly (readonly number[])[]) {
    this.#compressor.state = compressor;
    if (left.length !== this.#sides[0].state.length) return;
    this.#sides[0].state = left;
    this.#sides[1].state = right;
  }
}

/** Works through a take in order. */
export class PreparationRun {
  readonly #equaliser: Cascade;
  readonly compressor: CompressorRun;

  constructor(preparation: Preparation, rateHz: number) {
    this.#equaliser = new Cascade(equaliserSections(preparation, rateHz));
    this.compressor = new CompressorRun(preparation.compressor, rateHz);
  }

  /** In place. */
  process(samples: Float64Array): void {
    this.#equaliser.process(samples);
    this.compressor.process(samples);
  }

  get state(): readonly number[] {
    return [...this.compressor.state, ...this.#equaliser.state];
  }

  set state(state: readonly number[]) {
    const own = this.compressor.state.length;
    this.compressor.state = state.slice(0, own);
    this.#equaliser.state = state.slice(own);
  }
}
