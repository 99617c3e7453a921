import { fftOf } from '../signal/spectrum.ts';
import { openRoom, transforms } from '../signal/transforms.ts';
import { powerToDb } from '../quantities/units.ts';

const { ceil, cos, floor, max, min, PI, round, sin } = Math;

export interface Hum {
  /** 50 or 60: what mains have. */
  readonly hz: number;
  /** Its strongest partial against the whole low end, in dB. */
  readonly levelDb: number;
}

const mainsHz = [50, 60];
/** Partials that are looked at, as multiples of the mains. */
const partials = [1, 2, 3, 4, 5, 6];
/** So many of them stand out in hum: a note that lies there has no neighbours that stay. */
const leastPartials = 3;
/** Each above all that lies beside it, in dB. */
const standsOutDb = 2;
/** So far from its place a partial's neighbours begin and end, in Hz. */
const besideHz = [0.5, 14];
/** Mains are kept within a tenth of a hertz (EN 50160: ±1 %; common practice: far less); a voice that is tuned by ten cents moves what stands in it by 0.3. */
const withinHz = 0.3;
const stepHz = 0.02;
const steps = round(withinHz / stepHz);
/** Music moves; hum does not: its level from window to window, from the softest seventh to the loudest. */
const steadyDb = 8;
const windowsToCompare = 4;
/** Softer than this, against the low end, it is nothing. */
const leastDb = -80;
/**
 * What a machine repeats to the frame has lines at all multiples of how often it does: at 125 beats a minute sixteenths
 * have some at 50, 100 and 150 Hz. Those beside them stand out as far of what lies between, in dB in the mean.
 */
const repeatedDb = 6;
const leastRepeatedHz = 2;
/** A moment, in seconds; they overlap by half. */
const momentSeconds = 0.0625;
/** Of a window: as long as mains keep their frequency to what it resolves, in moments. */
const windowMoments = 256;
const fewestMoments = 96;
const transformSize = 512;
/** Against the loudest moment, in power: what is softer than that has lost its hum as well, by fades or cuts. */
const softest = 1e-7;
/** And where nothing sounds at all, in power: under all that a file can hold. */
const nothing = 1e-30;

/**
 * Finds hum: lines at the mains' frequency and its multiples that stand all the time, whatever is played. Each partial is
 * looked at in a narrow band of its own, in which moments count the more the softer they are: what is played covers most of
 * it in most of them, and leaves it bare in some. Its moments are added up in phase over seconds; only what keeps its
 * frequency to a tenth of a hertz then stands out of its neighbours.
 * @param left both sides, lowered to some 1.5 kHz
 * @param rateHz that rate
 * @param tick is called between the steps; it may throw to stop
 * @returns null where there is none, or too little to tell it by
 */
export function findHum(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  tick: () => void = () => {},
): Hum | null {
  const hop = round((momentSeconds / 2) * rateHz);
  const moments = floor(left.length / hop) - 1;
  if (moments < fewestMoments) return null;
  const sides = left === right ? [left] : [left, right];
  const energy = sides.reduce(
    (sum, side) => sum + side.reduce((all, value) => all + value * value, 0),
    0,
  );
  if (energy === 0) return null;
  const power = energy / left.length;
  const bands = new Map<number, Band>();
  const band = (hz: number) => {
    tick();
    const known = bands.get(hz) ?? new Band(sides, hz, rateHz, hop, moments);
    bands.set(hz, known);
    return known;
  };
  let found: Hum | null = null;
  let most = standsOutDb;
  for (const hz of mainsHz) {
    const lines = partials.map((n) => band(n * hz));
    for (let step = -steps; step <= steps; step++) {
      const off = step * stepHz;
      const above = lines.map((line, n) => line.standsOutDb((n + 1) * off));
      const [least] = [...above].sort((a, b) => b - a).slice(leastPartials - 1);
      if (least <= most) continue;
      const strengths = lines
        .map((line, n) => (above[n] >= least ? line.steadyPower((n + 1) * off) : null))
        .filter((strength) => strength !== null);
      if (strengths.length < leastPartials || isRepeated(lines, hz + off)) continue;
      const levelDb = powerToDb(max(...strengths) / power);
      if (levelDb < leastDb) continue;
      most = least;
      found = { hz, levelDb };
    }
  }
  return found;
}

/** Whether lines at the mains and its multiples are some of many, at all multiples of a fraction of it. */
function isRepeated(lines: readonly Band[], mainsHz: number): boolean {
  const [, far] = besideHz;
  for (let n = ceil(mainsHz / far); mainsHz / n >= leastRepeatedHz; n++) {
    const every = mainsHz / n;
    let [sum, count] = [0, 0];
    for (const [k, line] of lines.entries()) {
      const centre = (k + 1) * mainsHz - line.hz;
      for (let by = every; by <= far; by += every)
        for (const side of [-1, 1]) {
          sum += line.levelDb(centre + side * by) - line.levelDb(centre + side * (by - every / 2));
          count++;
        }
    }
    if (sum / count > repeatedDb) return true;
  }
  return false;
}

/** What lies within some hertz of a frequency, of each side: a complex value for each moment, weighed against all that is in it. */
class Band {
  readonly hz: number;
  readonly #hopHz: number;
  readonly #sides: readonly (readonly [re: Float32Array, im: Float32Array])[];
  readonly #weights: Float64Array;
  /** Where windows begin; the last ends all. */
  readonly #bounds: readonly number[];
  /** By the bins of a transform, of all windows; what lies far from the middle as loud as it is. */
  readonly #beside: Float64Array;

  constructor(
    sides: readonly Float32Array[],
    hz: number,
    rateHz: number,
    hop: number,
    moments: number,
  ) {
    this.hz = hz;
    this.#hopHz = rateHz / hop;
    this.#sides = sides.map((side) => demodulated(side, hz / rateHz, hop, moments));
    this.#weights = this.#weigh(moments);
    const windows = ceil(moments / windowMoments);
    this.#bounds = Array.from({ length: windows + 1 }, (_, n) => round((n * moments) / windows));
    this.#beside = this.#spectrum();
  }

  /** Against the power of a moment and of those beside it. */
  #weigh(moments: number): Float64Array {
    const powers = new Float64Array(moments);
    for (const [re, im] of this.#sides)
      for (let n = 0; n < moments; n++) powers[n] += re[n] * re[n] + im[n] * im[n];
    const floorPower = softest * powers.reduce((most, power) => max(most, power), 0) + nothing;
    return powers.map((power, n) => {
      const before = powers[max(0, n - 1)];
      const after = powers[min(moments - 1, n + 1)];
      return 1 / max(floorPower, (before + power + after) / 3);
    });
  }

  #spectrum(): Float64Array {
    const fft = fftOf(transformSize);
    const [input, output] = [fft.createComplexArray(), fft.createComplexArray()];
    const sums = new Float64Array(transformSize);
    for (const [re, im] of this.#sides)
      for (let window = 1; window < this.#bounds.length; window++) {
        const from = this.#bounds[window - 1];
        input.fill(0);
        for (let n = from; n < this.#bounds[window]; n++) {
          input[2 * (n - from)] = this.#weights[n] * re[n];
          input[2 * (n - from) + 1] = this.#weights[n] * im[n];
        }
        fft.transform(output, input);
        for (let bin = 0; bin < transformSize; bin++)
          sums[bin] += output[2 * bin] ** 2 + output[2 * bin + 1] ** 2;
      }
    // A Hann window of two moments takes from what lies beside the middle.
    return sums.map(
      (sum, bin) =>
        sum /
        response(((bin < transformSize / 2 ? bin : bin - transformSize) * 2) / transformSize) ** 2,
    );
  }

  /** What stands at a place, so far from the middle, above what lies beside it: of two places as far on either side their geometric mean, so that a note on one side hides nothing. */
  standsOutDb(offHz: number): number {
    const binHz = this.#hopHz / transformSize;
    const centre = round(offHz / binHz);
    const at = (bin: number) => this.#beside[bin & (transformSize - 1)];
    let most = Number.MIN_VALUE;
    const [near, far] = besideHz;
    for (let by = ceil(near / binHz); by <= far / binHz; by++)
      most = max(most, at(centre - by) * at(centre + by));
    return powerToDb(at(centre)) - powerToDb(most) / 2;
  }

  /** What stands at a place, so far from the middle. */
  levelDb(offHz: number): number {
    const bin = round((offHz * transformSize) / this.#hopHz);
    return powerToDb(this.#beside[bin & (transformSize - 1)] + Number.MIN_VALUE);
  }

  /** In one window: what stands at a place, and all that it was weighed by. */
  #at(offHz: number, window: number): { readonly power: number; readonly weight: number } {
    const turn = (-2 * PI * offHz) / this.#hopHz;
    let [power, weight] = [0, 0];
    for (const [re, im] of this.#sides) {
      let [a, b] = [0, 0];
      weight = 0;
      for (let n = this.#bounds[window - 1]; n < this.#bounds[window]; n++) {
        const [c, s, w] = [cos(turn * n), sin(turn * n), this.#weights[n]];
        a += w * (re[n] * c - im[n] * s);
        b += w * (re[n] * s + im[n] * c);
        weight += w;
      }
      power += a * a + b * b;
    }
    return { power, weight };
  }

  /** The mean square of a tone at a place, both sides added up, in the middle one of all windows; null where it does not stay. */
  steadyPower(offHz: number): number | null {
    const powers = this.#bounds
      .slice(1)
      .map((_, n) => {
        const { power, weight } = this.#at(offHz, n + 1);
        // Of a tone half of its amplitude turns with the band.
        return (2 * power) / weight ** 2;
      })
      .sort((a, b) => a - b);
    const share = (part: number) => powers[floor(part * (powers.length - 1))];
    const moves =
      powers.length >= windowsToCompare && powerToDb(share(0.85) / share(0.15)) > steadyDb;
    return moves ? null : share(0.5);
  }
}

/** Of a Hann window at a frequency, in cycles a window (Harris 1978). */
function response(cycles: number): number {
  const x = PI * cycles;
  return cycles === 0 ? 1 : sin(x) / (x * (1 - cycles * cycles));
}

/** So many moments are read at once; what they are read from, what is done to it, and what comes out. */
const piece = 256;
const mostHop = 128;
const read = openRoom((piece + 1) * (mostHop / 2));
const waves = openRoom(2 * mostHop);
const made = openRoom(piece / 2);

/** A complex value for each moment: what a signal has at a frequency, in cycles a frame, in Hann windows of two hops; a tone of amplitude 1 gives ½. */
function demodulated(
  samples: Float32Array,
  frequency: number,
  hop: number,
  moments: number,
): readonly [Float32Array, Float32Array] {
  const along = weighed(samples, hop, moments, (n) => cos(2 * PI * frequency * n));
  const across = weighed(samples, hop, moments, (n) => -sin(2 * PI * frequency * n));
  for (let moment = 0; moment < moments; moment++) {
    const turn = 2 * PI * frequency * moment * hop;
    const [c, s, a, b] = [cos(turn), sin(turn), along[moment], across[moment]];
    along[moment] = a * c + b * s;
    across[moment] = b * c - a * s;
  }
  return [along, across];
}

/** A wave that begins anew with each moment times what is there, in a window, added up. */
function weighed(
  samples: Float32Array,
  hop: number,
  moments: number,
  wave: (n: number) => number,
): Float32Array {
  const length = 2 * hop;
  const { values } = waves;
  for (let n = 0; n < length; n++)
    values[n] = (wave(n) * (1 - cos((2 * PI * (n + 0.5)) / length))) / length;
  const out = new Float32Array(moments);
  for (let from = 0; from < moments; from += piece) {
    const count = min(piece, moments - from);
    read.singles.set(samples.subarray(from * hop, (from + count + 1) * hop));
    transforms.thin(waves.at, length, read.at, hop, count, made.at);
    out.set(made.singles.subarray(0, count), from);
  }
  return out;
}
