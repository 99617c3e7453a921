import { gentle, HalfBand, brisk } from '../signal/half-band.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { PI, atan, log, floor } = Math;

/** How a drive bends: softly, at once, or one half wave more than the other. */
export const driveShapes = ['soft', 'hard', 'uneven'] as const;
export type DriveShape = (typeof driveShapes)[number];

export interface Drive {
  /** Gain of what is quiet; 0 is exactly linear. */
  readonly driveDb: number;
  readonly shape: DriveShape;
  readonly inputDb: number;
}

/** A drive that moves: how much it is at each frame, in dB; less than none is none. */
export type DriveAt = (frame: number) => number;

/** A drive that moves is looked at so often, in frames of the song's grid, and goes straight between. */
const gridFrames = 32;

/** Less drive than this bends nothing that could be heard, or told from what numbers leave of it. */
const leastDriveDb = 1e-3;

/** Whether a drive does anything but be passed through. */
export function bends({ driveDb }: Pick<Drive, 'driveDb'>): boolean {
  return driveDb >= leastDriveDb;
}

/** The integral of the arc tangent up to so much, in so many steps for 1: read by cubics through values and slopes, to 1e-9. */
const tableEnd = 16;
const tableSteps = 64;
const areas = new Float64Array(tableEnd * tableSteps + 2);
const slopes = new Float64Array(tableEnd * tableSteps + 2);
for (let n = 0; n < areas.length; n++) {
  const u = n / tableSteps;
  areas[n] = u * atan(u) - 0.5 * log(1 + u * u);
  slopes[n] = atan(u) / tableSteps;
}

/** ∫ atan from 0 to u. */
function arcArea(u: number): number {
  const size = u < 0 ? -u : u;
  if (size >= tableEnd) return u * atan(u) - 0.5 * log(1 + u * u);
  const place = size * tableSteps;
  const n = place | 0;
  const t = place - n;
  const rise = areas[n + 1] - areas[n];
  const begin = slopes[n] - rise;
  const end = slopes[n + 1] - rise;
  return areas[n] + t * (slopes[n] + t * (-2 * begin - end + t * (begin + end)));
}

/** ∫ of what is cut off at ±1, from 0 to u. */
function cutArea(u: number): number {
  return u > 1 ? u - 0.5 : u < -1 ? -u - 0.5 : 0.5 * u * u;
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

/** Nearer to each other than this, an arc between two values is as good as straight (to 1e-7), and they differ too little to divide by. */
const nearOnArc = 1e-3;
/** The same of what is cut off, which has corners. */
const near = 1e-5;
/** So many frames at once: what is made of them on the way stays at hand. */
const stretchFrames = 4096;

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
  #u: number;
  #area: number;
  /** The last means: so many values make the whole thing a whole number of frames late. */
  #late = [0, 0] as [number, number];

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
    this.#u = this.#arc?.shift ?? 0;
    this.#area = this.#arc ? arcArea(this.#u) : 0;
  }

  /** In place, `latencyFrames` late; of a drive that bends. */
  process(samples: Float64Array): void {
    for (let from = 0; from < samples.length; from += stretchFrames)
      this.#bend(samples.subarray(from, from + stretchFrames));
  }

  #bend(samples: Float64Array): void {
    const twice = this.#ups[0].upsample(samples);
    const fast = this.#ups[1].upsample(twice);
    const drives = this.#moving && drivesFrom(this.#moving, fast.length);
    if (drives) for (let n = 0; n < fast.length; n++) fast[n] *= drives[n];
    // Apart, since one loop that calls whichever curve it is given slows down where a song has several.
    if (this.#arc) this.#along(this.#arc, fast);
    else this.#cut(fast);
    if (drives) for (let n = 0; n < fast.length; n++) fast[n] *= (1 + drives[n]) / drives[n];
    const out = this.#out / 2;
    let before = this.#late[0];
    let last = this.#late[1];
    for (let n = 0; n < fast.length; n++) {
      const mean = fast[n];
      fast[n] = out * (before + last);
      before = last;
      last = mean;
    }
    this.#late = [before, last];
    this.#downs[0].downsample(fast, twice);
    this.#downs[1].downsample(twice, samples);
  }

  /** Each value's mean of an arc from the value before it, in place. */
  #along({ slope, shift, rest }: Arc, fast: Float64Array): void {
    const into = slope * this.#into * this.#gain;
    let u = this.#u;
    let area = this.#area;
    for (let n = 0; n < fast.length; n++) {
      const next = into * fast[n] + shift;
      const apart = next - u;
      const nextArea = arcArea(next);
      const mean =
        apart > nearOnArc || apart < -nearOnArc
          ? (nextArea - area) / apart
          : atan(0.5 * (next + u));
      fast[n] = (2 / PI) * mean - rest;
      u = next;
      area = nextArea;
    }
    this.#u = u;
    this.#area = area;
  }

  /** The same of what is cut off. */
  #cut(fast: Float64Array): void {
    const into = this.#into * this.#gain;
    let u = this.#u;
    let area = this.#area;
    for (let n = 0; n < fast.length; n++) {
      const next = into * fast[n];
      const apart = next - u;
      const nextArea = cutArea(next);
      fast[n] =
        apart > near || apart < -near ? (nextArea - area) / apart : cutOff(0.5 * (next + u));
      u = next;
      area = nextArea;
    }
    this.#u = u;
    this.#area = area;
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
