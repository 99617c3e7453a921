import * as z from 'zod';
import { count, flag, positiveZero, thing, type Described } from '../parameters/description.ts';

const { abs, max, sqrt, log10 } = Math;

/** What a source is, as far as its samples tell. */
export const factsDescription = thing({
  /** The highest sample, linear. */
  peak: z.number().min(0).overwrite(positiveZero),
  /** Runs of at least three samples at full scale, or at a lower ceiling that cuts the tops off. */
  clippedRuns: count('The number of clipped runs'),
  /** Stretches of at least half a second in which nothing sounds, in frames: start and end. */
  silences: z.array(z.tuple([count('A frame'), count('A frame')])),
  /** Sounds that begin with a strike and die away. */
  struck: flag('Struck'),
  /** Its tops are flat, as of a driven amplifier. */
  driven: flag('Driven'),
  /** How far the difference of both channels lies under their middle, in dB; null for one channel. */
  differenceDb: z.number().overwrite(positiveZero).nullable(),
  /** Samples that are no numbers, or infinite: they are taken for silence. */
  notFinite: count('The number of samples that are no numbers').default(0),
});
export type SourceFacts = Described<typeof factsDescription>;

/** With a difference this far under the middle a stereo file is really mono. */
export const reallyMonoDb = 50;

export function isReallyMono({ differenceDb }: SourceFacts): boolean {
  return differenceDb !== null && differenceDb >= reallyMonoDb;
}

const windowMs = 10;
/** Tops are looked at over so many windows. */
const windowsAtOnce = 10;
/** Under this, 60 dB below the peak and below −70 dBFS, nothing sounds. */
const silentUnderPeakDb = 60;
const silentDb = -70;
const shortestSilenceMs = 500;
/** A strike: so much louder within three windows. */
const strikeDb = 9;
/** After a strike the level has fallen by this within 400 ms. */
const decayDb = 8;
const decayMs = 400;
/** Within 1 dB of the top of its 100 ms lies 30 % of a sine, 100 % of a square, and less of most music: rule of our own. */
const flatShare = 0.36;
const flatWithin = 10 ** (-1 / 20);
const fullScale = 1 - 2 ** -15;

/** So near to each other samples at a ceiling are: two steps of 16 bits. */
const ceilingWithin = 2 / 32_768;
/** What is cut off falls away from its flat top by so many times that, within a sample. */
const cutSteps = 8;
/** Fewer flat tops at one height may be chance. */
const fewestCut = 4;
/** What is softer than this below full scale is a noise floor rather than a top. */
const softestCeiling = 0.05;

/** Looks for tops that are cut off at one height below full scale: three samples alike, and a sudden end. */
class Ceiling {
  #height = 0;
  #cut = 0;
  #length = 0;
  #before = 0;
  #last = 0;

  add(size: number): void {
    if (size > this.#height + ceilingWithin) {
      // Higher than all before: what was flat below it was no ceiling.
      this.#height = size;
      this.#cut = 0;
      this.#length = 1;
      this.#before = this.#last;
    } else if (size > this.#height - ceilingWithin) {
      if (this.#length === 0) this.#before = this.#last;
      this.#length++;
    } else if (this.#length > 0) {
      const edge = this.#height - cutSteps * ceilingWithin;
      if (this.#length >= 3 && (size < edge || this.#before < edge)) this.#cut++;
      this.#length = 0;
    }
    this.#last = size;
  }

  runs(): number {
    return this.#height > softestCeiling && this.#height < fullScale && this.#cut >= fewestCut
      ? this.#cut
      : 0;
  }
}

/** Looks at all channels of a file, a block at a time, so that a long one need not lie in memory. */
export class FactFinder {
  readonly #window: number;
  readonly #levels: number[] = [];
  readonly #flat: number[] = [];
  #peak = 0;
  #run = 0;
  #clippedRuns = 0;
  #frames = 0;
  #energy = 0;
  #inWindow = 0;
  readonly #recent: Float32Array;
  #filled = 0;
  #middle = 0;
  #difference = 0;
  #channels = 1;
  readonly #ceiling = new Ceiling();

  constructor(rateHz: number) {
    this.#window = Math.round((windowMs * rateHz) / 1000);
    this.#recent = new Float32Array(this.#window * windowsAtOnce);
  }

  add(channels: readonly Float32Array[]): void {
    this.#channels = channels.length;
    const [first, second] = channels;
    for (let n = 0; n < first.length; n++) {
      const x = second ? (first[n] + second[n]) / 2 : first[n];
      if (second) {
        const side = (first[n] - second[n]) / 2;
        this.#middle += x * x;
        this.#difference += side * side;
      }
      const size = second ? max(abs(first[n]), abs(second[n])) : abs(x);
      if (size > this.#peak) this.#peak = size;
      if (size >= fullScale) {
        this.#run++;
        if (this.#run === 3) this.#clippedRuns++;
      } else this.#run = 0;
      this.#ceiling.add(size);
      this.#recent[this.#filled++] = abs(x);
      this.#energy += x * x;
      this.#inWindow++;
      if (this.#inWindow === this.#window) this.#close();
    }
    this.#frames += first.length;
  }

  #close(): void {
    this.#levels.push(20 * log10(sqrt(this.#energy / this.#inWindow) + 1e-10));
    this.#energy = 0;
    this.#inWindow = 0;
    if (this.#levels.length % windowsAtOnce !== 0) return;
    const recent = this.#recent.subarray(0, this.#filled);
    this.#filled = 0;
    let top = 0;
    for (const size of recent) if (size > top) top = size;
    let flat = 0;
    for (const size of recent) if (size >= top * flatWithin) flat++;
    if (top > 0.001) this.#flat.push(flat / recent.length);
  }

  facts(): SourceFacts {
    if (this.#inWindow > 0) this.#close();
    const flat = this.#flat.toSorted((a, b) => a - b);
    return {
      peak: this.#peak,
      clippedRuns: max(this.#clippedRuns, this.#ceiling.runs()),
      silences: this.#silences(),
      struck: this.#struck(),
      driven: flat.length > 0 && flat[flat.length >> 1] > flatShare,
      differenceDb:
        this.#channels === 1
          ? null
          : 10 * log10((this.#middle + 1e-20) / (this.#difference + 1e-20)),
      notFinite: 0,
    };
  }

  #silences(): [number, number][] {
    const edge = max(silentDb, 20 * log10(this.#peak + 1e-10) - silentUnderPeakDb);
    const found: [number, number][] = [];
    const shortest = shortestSilenceMs / windowMs;
    let from = -1;
    for (let n = 0; n <= this.#levels.length; n++) {
      const silent = n < this.#levels.length && this.#levels[n] < edge;
      if (silent && from < 0) from = n;
      if (silent || from < 0) continue;
      if (n - from >= shortest)
        found.push([from * this.#window, Math.min(this.#frames, n * this.#window)]);
      from = -1;
    }
    return found;
  }

  #struck(): boolean {
    const levels = this.#levels;
    const loudest = levels.reduce((most, level) => max(most, level), -200);
    const later = decayMs / windowMs;
    let strikes = 0;
    let decays = 0;
    for (let n = 3; n < levels.length - later; n++) {
      if (levels[n] < loudest - 30 || levels[n] - levels[n - 3] < strikeDb) continue;
      strikes++;
      let top = levels[n];
      for (let k = 0; k < 5; k++) top = max(top, levels[n + k]);
      let low = top;
      for (let k = 5; k <= later; k++) low = Math.min(low, levels[n + k]);
      if (top - low >= decayDb) decays++;
      n += 5;
    }
    const seconds = (levels.length * windowMs) / 1000;
    return strikes >= 2 && strikes / seconds >= 0.2 && decays / strikes >= 0.6;
  }
}

/** Of a whole file in memory. */
export function factsOf(channels: readonly Float32Array[], rateHz: number): SourceFacts {
  const finder = new FactFinder(rateHz);
  finder.add(channels);
  return finder.facts();
}
