import type { BiquadCoefficients } from '../signal/biquad.ts';
import { Cascade } from '../signal/cascade.ts';
import { bell, highPass, highShelf, lowPass, lowShelf } from '../signal/filters.ts';
import type { BuiltCabinet } from './amp.ts';

const { PI, abs, ceil, cos, exp, log, max, min, round, sin, sqrt } = Math;

/** Cabinets of ours, by what they are: none is a copy of a real one. */
export const cabinetKinds = [
  'small-open-backed',
  'wide-open-backed',
  'closed-one-cone',
  'closed-two-cone',
  'squat-four-cone',
  'tall-four-cone',
  'deep-low-cone',
  'tin-radio',
  'paper-horn',
] as const;
export type CabinetKind = (typeof cabinetKinds)[number];

/** A few figures of a box and its cones, from which its sound is worked out. */
interface Figures {
  readonly name: string;
  /** Resonance of cone and box, and how sharp it is. */
  readonly resonanceHz: number;
  readonly resonanceQ: number;
  /** Radius of a cone: how it beams. */
  readonly coneCm: number;
  /** Where the cone breaks up into parts, by how much it is louder there, and above where nothing comes any more. */
  readonly breakUpHz: number;
  readonly breakUpDb: number;
  readonly topHz: number;
  /** Inner measures: standing waves. */
  readonly boxCm: readonly [number, number];
  readonly boxDb: number;
  /** The way round to the front for what the back radiates, inverted; null where the back is closed. */
  readonly roundCm: number | null;
  /** To the edge of the baffle, which radiates again. */
  readonly edgeCm: number;
  /** The next cone's middle; null where there is one cone. */
  readonly nextConeCm: number | null;
}

export const cabinets: Readonly<Record<CabinetKind, Figures>> = {
  'small-open-backed': {
    name: 'small open-backed',
    resonanceHz: 135,
    resonanceQ: 0.8,
    coneCm: 9,
    breakUpHz: 3200,
    breakUpDb: 5,
    topHz: 6800,
    boxCm: [34, 22],
    boxDb: 2,
    roundCm: 38,
    edgeCm: 13,
    nextConeCm: null,
  },
  'wide-open-backed': {
    name: 'wide open-backed',
    resonanceHz: 72,
    resonanceQ: 0.8,
    coneCm: 12.5,
    breakUpHz: 1900,
    breakUpDb: 3,
    topHz: 4300,
    boxCm: [62, 25],
    boxDb: 2,
    roundCm: 80,
    edgeCm: 26,
    nextConeCm: 30,
  },
  'closed-one-cone': {
    name: 'closed, one cone',
    resonanceHz: 100,
    resonanceQ: 2,
    coneCm: 12.5,
    breakUpHz: 2700,
    breakUpDb: 10,
    topHz: 5200,
    boxCm: [44, 26],
    boxDb: 4,
    roundCm: null,
    edgeCm: 20,
    nextConeCm: null,
  },
  'closed-two-cone': {
    name: 'closed, two cones',
    resonanceHz: 112,
    resonanceQ: 1.5,
    coneCm: 11,
    breakUpHz: 3100,
    breakUpDb: 5,
    topHz: 6000,
    boxCm: [70, 30],
    boxDb: 5,
    roundCm: null,
    edgeCm: 31,
    nextConeCm: 31,
  },
  'squat-four-cone': {
    name: 'squat, four cones',
    resonanceHz: 66,
    resonanceQ: 2.1,
    coneCm: 12.5,
    breakUpHz: 2100,
    breakUpDb: 9,
    topHz: 3700,
    boxCm: [74, 34],
    boxDb: 4,
    roundCm: null,
    edgeCm: 22,
    nextConeCm: 33,
  },
  'tall-four-cone': {
    name: 'tall, four cones',
    resonanceHz: 90,
    resonanceQ: 1.3,
    coneCm: 10,
    breakUpHz: 3600,
    breakUpDb: 7,
    topHz: 7200,
    boxCm: [110, 28],
    boxDb: 3,
    roundCm: null,
    edgeCm: 17,
    nextConeCm: 26,
  },
  'deep-low-cone': {
    name: 'deep, one low cone',
    resonanceHz: 48,
    resonanceQ: 0.9,
    coneCm: 18,
    breakUpHz: 1300,
    breakUpDb: 4,
    topHz: 3200,
    boxCm: [80, 45],
    boxDb: 3,
    roundCm: null,
    edgeCm: 32,
    nextConeCm: null,
  },
  'tin-radio': {
    name: 'tin radio',
    resonanceHz: 310,
    resonanceQ: 2.2,
    coneCm: 4,
    breakUpHz: 3600,
    breakUpDb: 9,
    topHz: 5000,
    boxCm: [16, 9],
    boxDb: 6,
    roundCm: 18,
    edgeCm: 7,
    nextConeCm: null,
  },
  'paper-horn': {
    name: 'paper horn',
    resonanceHz: 420,
    resonanceQ: 1.6,
    coneCm: 6,
    breakUpHz: 1700,
    breakUpDb: 10,
    topHz: 3800,
    boxCm: [52, 52],
    boxDb: 7,
    roundCm: null,
    edgeCm: 28,
    nextConeCm: null,
  },
};

const soundCmPerS = 34_300;
/** An impulse of ours is over after this: so that four stretches of one transform hold a short block at 48 kHz (`Convolver`). */
const impulseMs = 42.6;

/** How many values an impulse response of ours has. */
export function builtImpulseFrames(rateHz: number): number {
  return ceil((impulseMs / 1000) * rateHz);
}

/** What is added after the impulse began, in cm of way, linear. */
interface Reflection {
  readonly cm: number;
  readonly gain: number;
  /** Of the reflection: it loses its top. */
  readonly topHz: number;
}

/**
 * The impulse response of a cabinet before a microphone, worked out from its figures: the cone's resonance, break-up and beam, the box's
 * standing waves, what comes round from an open back, off the baffle's edge and from the next cone, and what the distance does. As loud
 * as nothing on the mean from 80 Hz to 5 kHz.
 * @param ratio how much higher it is read afterwards: the cabinet is so much larger, to end where it belongs
 * @returns as many values as 43 ms have; the first sounds at once, unless the distance is kept
 */
export function cabinetImpulse(cabinet: BuiltCabinet, rateHz: number, ratio = 1): Float64Array {
  const { kind, acrossPercent, distanceCm, keepDelay } = cabinet;
  const figures = cabinets[kind];
  const across = acrossPercent / 100;
  const length = builtImpulseFrames(rateHz);
  const direct = new Float64Array(length);
  const way = keepDelay ? distanceCm : 0;
  for (const { cm, gain, topHz } of reflections(figures, across, distanceCm))
    addImpulse(direct, (cm + way) * (ratio / soundCmPerS) * rateHz, gain, topHz / ratio, rateHz);
  new Cascade(sections(figures, across, distanceCm, rateHz, ratio)).process(direct);
  fadeEnd(direct);
  const level = meanLevel(direct, rateHz);
  for (let n = 0; n < length; n++) direct[n] /= level;
  return direct;
}

function reflections(figures: Figures, across: number, distanceCm: number): readonly Reflection[] {
  const { roundCm, edgeCm, nextConeCm, coneCm, topHz } = figures;
  const apart = (cm: number) => sqrt(cm * cm + distanceCm * distanceCm) - distanceCm;
  const near = max(4, distanceCm);
  const all: Reflection[] = [{ cm: 0, gain: 1, topHz: 20_000 }];
  // Off the middle the edge of the cone is heard apart from its middle.
  all.push({ cm: apart(coneCm * (0.35 + 0.65 * across)), gain: 0.45 * across, topHz: 6000 });
  all.push({ cm: max(2, apart(edgeCm)), gain: -0.22, topHz: 2500 });
  if (roundCm !== null)
    all.push({ cm: roundCm, gain: -0.75 * (near / (near + 0.5 * roundCm)) - 0.15, topHz: 1800 });
  if (nextConeCm !== null) {
    const far = apart(nextConeCm * (1 - 0.5 * across));
    all.push({ cm: far, gain: near / (near + far) ** 1 - 0.35, topHz: topHz * 0.6 });
  }
  // The floor, once the microphone is away from the cone.
  if (distanceCm > 20)
    all.push({ cm: sqrt(distanceCm ** 2 + 90 ** 2) - distanceCm, gain: 0.4, topHz: 4000 });
  return all;
}

function sections(
  figures: Figures,
  across: number,
  distanceCm: number,
  rateHz: number,
  ratio: number,
): BiquadCoefficients[] {
  const { resonanceHz, resonanceQ, coneCm, breakUpHz, breakUpDb, topHz, boxCm, boxDb } = figures;
  const inside = (hz: number) => min(hz / ratio, 0.45 * rateHz);
  // A piston beams where its circumference is longer than the wave (ka > 1).
  const beamHz = soundCmPerS / (2 * PI * coneCm);
  const near = exp(-distanceCm / 18);
  return [
    highPass(inside(resonanceHz), resonanceQ, rateHz),
    ...boxCm.map((cm, n) =>
      bell(inside(soundCmPerS / (2 * cm)), n === 0 ? boxDb : -boxDb, 4, rateHz),
    ),
    bell(inside(breakUpHz), breakUpDb, 2.2, rateHz),
    bell(inside(breakUpHz * 1.43), 0.5 * breakUpDb, 4, rateHz),
    bell(inside(breakUpHz * 1.19), -0.6 * breakUpDb * (0.4 + 0.6 * across), 5, rateHz),
    highShelf(inside(beamHz * 2.2), -9 * across, 0.6, rateHz),
    lowPass(inside(topHz), 0.9, rateHz),
    lowPass(inside(topHz * 1.25), 0.6, rateHz),
    // A microphone that hears from one side makes near lows louder.
    lowShelf(inside(180), 5 * near, 0.6, rateHz),
  ];
}

/** Adds an impulse between frames, band-limited by a short windowed sinc that does not ring before the beginning. */
function addImpulse(
  into: Float64Array,
  at: number,
  gain: number,
  topHz: number,
  rateHz: number,
): void {
  const cut = min(0.98, (2 * topHz) / rateHz);
  const arms = 12;
  const middle = round(at);
  for (let n = max(0, middle - arms); n <= min(into.length - 1, middle + arms); n++) {
    const t = n - at;
    const x = PI * t * cut;
    const sinc = abs(x) < 1e-9 ? 1 : sin(x) / x;
    const window = 0.5 + 0.5 * cos((PI * t) / (arms + 1));
    into[n] += gain * cut * sinc * window;
  }
}

/** The last eighth goes down to nothing. */
function fadeEnd(impulse: Float64Array): void {
  const tail = impulse.length >> 3;
  for (let n = 0; n < tail; n++)
    impulse[impulse.length - tail + n] *= 0.5 + 0.5 * cos((PI * (n + 1)) / tail);
}

const levelFromHz = 80;
const levelToHz = 5000;
const levelSteps = 64;

/** Root of the mean power from 80 Hz to 5 kHz, every octave counting alike. */
export function meanLevel(impulse: Float64Array, rateHz: number): number {
  let power = 0;
  for (let k = 0; k < levelSteps; k++) {
    const hz = levelFromHz * exp(((k + 0.5) / levelSteps) * log(levelToHz / levelFromHz));
    const step = (2 * PI * hz) / rateHz;
    let [re, im] = [0, 0];
    for (let n = 0; n < impulse.length; n++) {
      re += impulse[n] * cos(step * n);
      im -= impulse[n] * sin(step * n);
    }
    power += (re * re + im * im) / levelSteps;
  }
  return sqrt(max(1e-12, power));
}
