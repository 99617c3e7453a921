import type { create } from '@alexanderolsen/libsamplerate-js';

/** Frames that are given to the converter at once. */
const convertedAtOnce = 32_768;
/** Of silence behind the end, in frames of the source: the converter keeps its last ones back otherwise. */
const flushFrames = 8192;

type Converter = Awaited<ReturnType<typeof create>>;

/**
 * Converts a rate piece by piece, by libsamplerate's best sinc interpolation (145 dB). The length is exact: as many frames as
 * last the same time, rounded; the tail is in it.
 */
export class Resampler {
  readonly #converters: readonly Converter[];
  readonly #ratio: number;
  #taken = 0;
  #given = 0;

  private constructor(converters: readonly Converter[], ratio: number) {
    this.#converters = converters;
    this.#ratio = ratio;
  }

  static async create(channels: number, fromHz: number, toHz: number): Promise<Resampler> {
    const { default: libsamplerate } = await import('@alexanderolsen/libsamplerate-js');
    const converters: Converter[] = [];
    for (let n = 0; n < channels; n++)
      converters.push(
        await libsamplerate.create(1, fromHz, toHz, {
          converterType: libsamplerate.ConverterType.SRC_SINC_BEST_QUALITY,
        }),
      );
    return new Resampler(converters, toHz / fromHz);
  }

  /** The next frames of every channel, any number; what has come of them, a little behind. */
  *push(channels: readonly Float32Array[]): Generator<readonly Float32Array[]> {
    const { length } = channels[0];
    this.#taken += length;
    for (let at = 0; at < length; at += convertedAtOnce)
      yield this.#convert(channels.map((channel) => channel.slice(at, at + convertedAtOnce)));
  }

  /** What is still to come when nothing is pushed any more. */
  *end(): Generator<readonly Float32Array[]> {
    yield this.#convert(this.#converters.map(() => new Float32Array(flushFrames)));
  }

  #convert(pieces: readonly Float32Array[]): readonly Float32Array[] {
    const room = Math.max(0, Math.round(this.#taken * this.#ratio) - this.#given);
    const made = pieces.map((piece, n) => this.#converters[n].full(piece).slice(0, room));
    this.#given += made[0].length;
    return made;
  }

  free(): void {
    for (const converter of this.#converters) converter.destroy();
  }
}
