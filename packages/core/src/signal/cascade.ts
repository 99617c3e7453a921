import { Biquad, type BiquadCoefficients } from './biquad.ts';

/** Several second-order sections one after the other, in place. */
export class Cascade {
  readonly #sections: readonly Biquad[];

  constructor(sections: readonly BiquadCoefficients[]) {
    this.#sections = sections.map((section) => new Biquad(section));
  }

  process(samples: Float64Array): void {
    const sections = this.#sections;
    for (let n = 0; n + 1 < sections.length; n += 2)
      Biquad.processBoth(sections[n], sections[n + 1], samples);
    if (sections.length % 2 === 1) sections.at(-1)?.process(samples, samples, samples.length);
  }

  clear(): void {
    for (const section of this.#sections) section.clear();
  }

  get state(): readonly number[] {
    return this.#sections.flatMap((section) => section.state);
  }

  set state(state: readonly number[]) {
    for (const [n, section] of this.#sections.entries())
      section.state = state.slice(2 * n, 2 * n + 2);
  }
}
