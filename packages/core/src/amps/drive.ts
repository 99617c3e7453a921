import { gentle, HalfBand, brisk } from '../signal/half-band.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { PI, atan, log } = Math;

/** How a drive bends: softly, at once, or one half wave more than the other. */
export const driveShapes = ['soft', 'hard', 'uneven'] as const;
export type DriveShape = (typeof driveShapes)[number];

export interface Drive {
  /** Gain of what is quiet; 0 is exactly linear. */
  readonly driveDb: number;
  readonly shape: DriveShape;
  readonly inputDb: number;
}

/** Less drive than this bends nothing that could be heard, or told from what numbers leave of it. */
const leastDriveDb = 1e-3;

/** Whether a drive does anything but be passed through. */
export function bends({ driveDb }: Pick<Drive, 'driveDb'>): boolean {
  return driveDb >= leastDriveDb;
}

/** A curve with slope 1 at rest that stays within ±1, or a little over on one side, and what it is the derivative of. */
interface Curve {
  readonly at: (x: number) => number;
  readonly integral: (x: number) => number;
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

/** (2/π) atan(πx/2): its harmonics of a sine have a closed form. */
const soft: Curve = {
  at: (x) => (2 / PI) * atan((PI / 2) * x),
  integral: (x) => (4 / (PI * PI)) * arcArea((PI / 2) * x),
};

const hard: Curve = {
  at: (x) => (x > 1 ? 1 : x < -1 ? -1 : x),
  integral: (x) => (x > 1 ? x - 0.5 : x < -1 ? -x - 0.5 : 0.5 * x * x),
};

/** Where the uneven curve is at rest on the soft one: there it bends one way already. */
const rest = 0.45;
const restSlope = 1 / (1 + ((PI / 2) * rest) ** 2);

const uneven: Curve = {
  at: (x) => soft.at(x / restSlope + rest) - soft.at(rest),
  integral: (x) => restSlope * soft.integral(x / restSlope + rest) - soft.at(rest) * x,
};

const curves: Readonly<Record<DriveShape, Curve>> = { soft, hard, uneven };

/** Nearer to each other than this, the curve between two values is as good as straight (to 1e-7), and they differ too little to divide by. */
const near = 1e-3;
/** So many frames at once: what is made of them on the way stays at hand. */
const stretchFrames = 4096;

/**
 * Bends a signal at four times its rate, the mean of the curve between one value and the next in place of the curve itself
 * (first-order antiderivative anti-aliasing: Parker, Zavalishin, Le Bivic: Reducing the Aliasing of Nonlinear Waveshaping Using Continuous-Time
 * Convolution, DAFx 2016; from memory). y = f(k·x)·(1 + k)/k, k being the drive's gain less 1: what is quiet is raised by the drive, what is
 * loud ends at full scale, and no drive is no bend.
 */
export class DriveRun {
  readonly #curve: Curve;
  readonly #gain: number;
  readonly #into: number;
  readonly #out: number;
  readonly #ups = [new HalfBand(brisk), new HalfBand(gentle)] as const;
  readonly #downs = [new HalfBand(gentle), new HalfBand(brisk)] as const;
  #x = 0;
  #area: number;
  /** The last means: so many values make the whole thing a whole number of frames late. */
  #late = [0, 0] as [number, number];

  /** Two passes of half-band filters at twice the rate and two at four times, half a value for the mean and half a value for the average of two of them, one to make it whole. */
  static readonly latencyFrames =
    (4 * HalfBand.latencyOf(brisk) + 2 * HalfBand.latencyOf(gentle) + 2) / 4;

  constructor({ driveDb, shape, inputDb }: Drive) {
    const k = 10 ** (driveDb / 20) - 1;
    this.#curve = curves[shape];
    this.#gain = 10 ** (inputDb / 20);
    this.#into = k;
    this.#out = (1 + k) / k;
    this.#area = this.#curve.integral(0);
  }

  /** In place, `latencyFrames` late; of a drive that bends. */
  process(samples: Float64Array): void {
    for (let from = 0; from < samples.length; from += stretchFrames)
      this.#bend(samples.subarray(from, from + stretchFrames));
  }

  #bend(samples: Float64Array): void {
    const twice = this.#ups[0].upsample(samples);
    const fast = this.#ups[1].upsample(twice);
    const { at, integral } = this.#curve;
    const into = this.#into * this.#gain;
    const out = this.#out / 2;
    let x = this.#x;
    let area = this.#area;
    let [before, last] = this.#late;
    for (let n = 0; n < fast.length; n++) {
      const next = into * fast[n];
      const apart = next - x;
      const nextArea = integral(next);
      const mean = apart > near || apart < -near ? (nextArea - area) / apart : at((next + x) / 2);
      x = next;
      area = nextArea;
      fast[n] = out * (before + last);
      before = last;
      last = mean;
    }
    this.#x = x;
    this.#area = area;
    this.#late = [before, last];
    this.#downs[0].downsample(fast, twice);
    this.#downs[1].downsample(twice, samples);
  }
}

/** What becomes of a value: the curve itself. */
export function bent(shape: DriveShape, driveDb: number, x: number): number {
  const k = 10 ** (driveDb / 20) - 1;
  return k === 0 ? x : (curves[shape].at(k * x) * (1 + k)) / k;
}
