import type { BiquadCoefficients } from './biquad.ts';

const { PI, sin, cos, sqrt, min } = Math;

/**
 * Second-order filters by the Audio EQ Cookbook (Robert Bristow-Johnson, W3C Note 2021), from memory and checked against
 * its defining properties in the tests.
 */
function cookbook(hz: number, q: number, rateHz: number) {
  // At half the rate a bilinear filter has nothing left to act on.
  const w = (2 * PI * min(hz, 0.49 * rateHz)) / rateHz;
  return { cosine: cos(w), alpha: sin(w) / (2 * q) };
}

function normalised(
  b0: number,
  b1: number,
  b2: number,
  a0: number,
  a1: number,
  a2: number,
): BiquadCoefficients {
  return { b0: b0 / a0, b1: b1 / a0, b2: b2 / a0, a1: a1 / a0, a2: a2 / a0 };
}

/** Butterworth where `q` is √½. */
export function lowPass(hz: number, q: number, rateHz: number): BiquadCoefficients {
  const { cosine, alpha } = cookbook(hz, q, rateHz);
  const b = (1 - cosine) / 2;
  return normalised(b, 2 * b, b, 1 + alpha, -2 * cosine, 1 - alpha);
}

export function highPass(hz: number, q: number, rateHz: number): BiquadCoefficients {
  const { cosine, alpha } = cookbook(hz, q, rateHz);
  const b = (1 + cosine) / 2;
  return normalised(b, -2 * b, b, 1 + alpha, -2 * cosine, 1 - alpha);
}

export function bell(hz: number, db: number, q: number, rateHz: number): BiquadCoefficients {
  const { cosine, alpha } = cookbook(hz, q, rateHz);
  const a = 10 ** (db / 40);
  return normalised(
    1 + alpha * a,
    -2 * cosine,
    1 - alpha * a,
    1 + alpha / a,
    -2 * cosine,
    1 - alpha / a,
  );
}

export function lowShelf(hz: number, db: number, q: number, rateHz: number): BiquadCoefficients {
  return shelf(hz, db, q, rateHz, 1);
}

export function highShelf(hz: number, db: number, q: number, rateHz: number): BiquadCoefficients {
  return shelf(hz, db, q, rateHz, -1);
}

/** @param side 1 for the low shelf, −1 for the high one */
function shelf(hz: number, db: number, q: number, rateHz: number, side: 1 | -1) {
  const { cosine, alpha } = cookbook(hz, q, rateHz);
  const c = side * cosine;
  const a = 10 ** (db / 40);
  const root = 2 * sqrt(a) * alpha;
  return normalised(
    a * (a + 1 - (a - 1) * c + root),
    side * 2 * a * (a - 1 - (a + 1) * c),
    a * (a + 1 - (a - 1) * c - root),
    a + 1 + (a - 1) * c + root,
    side * -2 * (a - 1 + (a + 1) * c),
    a + 1 + (a - 1) * c - root,
  );
}

/** Level of a section at one frequency, in dB. */
export function sectionDb(section: BiquadCoefficients, hz: number, rateHz: number): number {
  const w = (2 * PI * hz) / rateHz;
  const power = (c0: number, c1: number, c2: number) =>
    c0 * c0 + c1 * c1 + c2 * c2 + 2 * (c0 * c1 + c1 * c2) * cos(w) + 2 * c0 * c2 * cos(2 * w);
  const { b0, b1, b2, a1, a2 } = section;
  return 10 * Math.log10(power(b0, b1, b2) / power(1, a1, a2));
}
