import { brisk, gentle, HalfBand, roomToFilter, stretchFrames } from '../signal/half-band.ts';
import { addressOf, loops, memory, takeRoom } from '../signal/loops.ts';
import { leastDriveDb, type Drive, type DriveAt, type DriveShape } from './drive.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { PI, atan, log, floor } = Math;

/** A drive that moves is looked at so often, in frames of the song's grid, and goes straight between. */
const gridFrames = 32;

/**
 * The integral of the arc tangent as cubics, four factors each, through values and slopes: 128 in each octave of 1 + |u|, up to 256. To 2e-10, its slope to
 * 2e-8 (see loops/curve.ts).
 */
const octaves = 8;
const stepsOfOctave = 128;
const table = takeRoom(4 * octaves * stepsOfOctave);
for (let n = 0; n < octaves * stepsOfOctave; n++) {
  const width = 2 ** floor(n / stepsOfOctave) / stepsOfOctave;
  const u = width * (stepsOfOctave + (n % stepsOfOctave)) - 1;
  const area = arcArea(u);
  const rise = arcArea(u + width) - area;
  const begin = width * atan(u);
  const end = width * atan(u + width);
  memory.set([area, begin, 3 * rise - 2 * begin - end, begin + end - 2 * rise], table + 4 * n);
}

/** ∫ atan from 0 to u. */
function arcArea(u: number): number {
  return u * atan(u) - 0.5 * log(1 + u * u);
}

/** A soft curve, (2/π) atan(slope · x + shift) − rest: its harmonics of a sine have a closed form where it stands still at 0. */
interface Arc {
  readonly slope: number;
  readonly shift: number;
  readonly rest: number;
}

const soft: Arc = { slope: PI / 2, shift: 0, rest: 0 };
/** Where the uneven curve is at rest on the soft one: there it bends one way already. Its slope there is 1, too. */
const standing = (PI / 2) * 0.45;
const uneven: Arc = {
  slope: (PI / 2) * (1 + standing * standing),
  shift: standing,
  rest: (2 / PI) * atan(standing),
};

/** How each shape bends: along an arc, or cut off at ±1 where it has none. Slope 1 at rest, within ±1 or a little over on one side. */
const arcs: Readonly<Record<DriveShape, Arc | null>> = { soft, hard: null, uneven };

/** Where a stretch lies at its own rate, at twice and at four times that. */
const once = roomToFilter(stretchFrames);
const twice = roomToFilter(2 * stretchFrames);
const fast = roomToFilter(4 * stretchFrames);
/** Where the last value on its way into the curve lies, and the area under that to there. */
const last = takeRoom(2);

/**
 * Bends a signal at four times its rate, the mean of the curve between one value and the next in place of the curve itself
 * (first-order antiderivative anti-aliasing: Parker, Zavalishin, Le Bivic: Reducing the Aliasing of Nonlinear Waveshaping Using Continuous-Time
 * Convolution, DAFx 2016; from memory). y = f(k·x)·(1 + k)/k, k being the drive's gain less 1: what is quiet is raised by the drive, what is
 * loud ends at full scale, and no drive is no bend.
 */
export class DriveRun {
  readonly #arc: Arc | null;
  readonly #gain: number;
  readonly #into: number;
  readonly #out: number;
  /** How it moves, and the place of the next value at four times the rate; null where it stands. */
  readonly #moving: { readonly along: DriveAt; next: number } | null;
  readonly #ups = [new HalfBand(brisk), new HalfBand(gentle)] as const;
  readonly #downs = [new HalfBand(gentle), new HalfBand(brisk)] as const;
  /** The last value on its way into the curve, and the area under that to there. */
  #last: ArrayLike<number>;
  /** The last two means: so many values make the whole thing a whole number of frames late. */
  #late: ArrayLike<number> = [0, 0];

  /** Two passes of half-band filters at twice the rate and two at four times, half a value for the mean and half a value for the average of two of them, one to make it whole. */
  static readonly latencyFrames =
    (4 * HalfBand.latencyOf(brisk) + 2 * HalfBand.latencyOf(gentle) + 2) / 4;
  /** So much of that lies before the curve, in values at four times the rate. */
  static readonly #before = 2 * HalfBand.latencyOf(brisk) + HalfBand.latencyOf(gentle);

  /**
   * @param along how it moves, in the place of what is set; `Drive.driveDb` means nothing then
   * @param start frame of the first sample that it will be given
   */
  constructor({ driveDb, shape, inputDb }: Drive, along: DriveAt | null = null, start = 0) {
    const k = along ? 1 : 10 ** (driveDb / 20) - 1;
    this.#arc = arcs[shape];
    this.#gain = 10 ** (inputDb / 20);
    this.#into = k;
    this.#out = along ? 1 : (1 + k) / k;
    this.#moving = along && { along, next: 4 * start - DriveRun.#before };
    const rest = this.#arc?.shift ?? 0;
    this.#last = [rest, arcArea(rest)];
  }

  /** In place, `latencyFrames` late; of a drive that bends. */
  process(samples: Float32Array | Float64Array): void {
    for (let from = 0; from < samples.length; from += stretchFrames)
      this.#bend(samples.subarray(from, from + stretchFrames));
  }

  #bend(samples: Float32Array | Float64Array): void {
    const count = samples.length;
    memory.set(samples, once);
    this.#ups[0].upsampleAt(once, count, twice);
    this.#ups[1].upsampleAt(twice, 2 * count, fast);
    const values = memory.subarray(fast, fast + 4 * count);
    const drives = this.#moving && drivesFrom(this.#moving, values.length);
    if (drives) for (let n = 0; n < values.length; n++) values[n] *= drives[n];
    this.#curve(values.length);
    if (drives) for (let n = 0; n < values.length; n++) values[n] *= (1 + drives[n]) / drives[n];
    memory.set(this.#late, fast - 2);
    this.#late = values.slice(-2);
    loops.twoBefore(this.#out / 2, addressOf(fast), values.length);
    this.#downs[0].downsampleAt(fast, 2 * count, twice);
    this.#downs[1].downsampleAt(twice, count, once);
    samples.set(memory.subarray(once, once + count));
  }

  /** Each value's mean of the curve from the value before it, in place. */
  #curve(count: number): void {
    const into = this.#into * this.#gain;
    memory.set(this.#last, last);
    if (this.#arc) {
      const { slope, shift, rest } = this.#arc;
      const [from, at, x] = [addressOf(table), addressOf(last), addressOf(fast)];
      loops.meanOfArc(from, slope * into, shift, rest, at, x, count);
    } else loops.meanOfCut(into, addressOf(last), addressOf(fast), count);
    this.#last = memory.slice(last, last + 2);
  }
}

/** The factors k of the next values of a drive that moves. */
function drivesFrom(
  moving: { readonly along: DriveAt; next: number },
  count: number,
): Float64Array {
  const drives = new Float64Array(count);
  const step = 4 * gridFrames;
  const at = (cell: number) => {
    const driveDb = moving.along(cell * gridFrames);
    return 10 ** ((driveDb > leastDriveDb ? driveDb : leastDriveDb) / 20) - 1;
  };
  let cell = floor(moving.next / step);
  let [from, to] = [at(cell), at(cell + 1)];
  for (let n = 0; n < count; n++) {
    const within = moving.next + n - cell * step;
    drives[n] = from + ((to - from) * within) / step;
    if (within + 1 < step) continue;
    cell++;
    from = to;
    to = at(cell + 1);
  }
  moving.next += count;
  return drives;
}

function cutOff(x: number): number {
  return x > 1 ? 1 : x < -1 ? -1 : x;
}

/** What becomes of a value: the curve itself. */
export function bent(shape: DriveShape, driveDb: number, x: number): number {
  const k = 10 ** (driveDb / 20) - 1;
  if (k === 0) return x;
  const arc = arcs[shape];
  const at = arc ? (2 / PI) * atan(arc.slope * k * x + arc.shift) - arc.rest : cutOff(k * x);
  return (at * (1 + k)) / k;
}
