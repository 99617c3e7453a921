import * as z from 'zod';
import {
  choice,
  group,
  positiveZero,
  thing,
  withDefaults,
  type Described,
} from '../parameters/description.ts';
import {
  cycleParameters,
  cycleRateParameters,
  pointParameters,
  type MovingParameter,
} from '../parameters/tables.ts';
import { beatsAt, type Tempo } from './tempo.ts';

const { PI, sin, abs, floor } = Math;

const pointDescription = thing({
  atS: z.number().min(0, { error: 'A point lies at 0 s or later.' }).overwrite(positiveZero),
  /** Added to what is set. */
  ...group(pointParameters),
  /** How it goes on to the next one. */
  shape: choice(['straight', 'smooth', 'step']).default('straight'),
});

/** How a setting changes along the song: added to what is set, in its unit. */
export const curveDescription = z.discriminatedUnion('kind', [
  thing({
    kind: z.literal('points'),
    points: z
      .array(pointDescription)
      .min(1)
      .max(4000)
      .superRefine((points, context) => {
        for (const [n, { atS }] of points.entries())
          if (n > 0 && atS <= points[n - 1].atS)
            context.addIssue({
              code: 'custom',
              path: [n, 'atS'],
              params: { code: 'bad-order' },
              message: `A point lies later than the one before (${points[n - 1].atS} s); it was at ${atS} s.`,
            });
      }),
  }),
  thing({
    kind: z.literal('cycle'),
    /** Cycles a second, or beats a cycle. */
    rate: withDefaults({
      value: z
        .number()
        .min(cycleRateParameters.Hz.min, { error: 'A cycle has at least 0.01 Hz or beats.' })
        .max(cycleRateParameters.Hz.max, { error: 'A cycle has at most 64 Hz or beats.' })
        .default(1),
      unit: choice(['Hz', 'beats']).default('Hz'),
    }),
    ...group(cycleParameters),
    shape: choice(['sine', 'triangle', 'square']).default('sine'),
  }),
]);
export type Curve = Described<typeof curveDescription>;

export type Cycle = Extract<Curve, { readonly kind: 'cycle' }>;

/**
 * What a curve adds at a time, in the unit of what moves. A cycle of a level goes from nothing to minus its depth and back, so that it never makes louder; one
 * of a place swings by its depth to both sides.
 * @param tempo for cycles that are a share of a beat; 120 beats a minute where the song has none
 */
export function curveAt(
  curve: Curve,
  seconds: number,
  tempo: Tempo | null,
  parameter: MovingParameter = 'levelDb',
): number {
  if (curve.kind === 'cycle') {
    const turned = cyclesAt(curve, seconds, tempo) + curve.phasePercent / 100;
    return cycleAdds[parameter](curve, waves[curve.shape](turned - floor(turned)));
  }
  const { points } = curve;
  const n = lastBefore(points, seconds);
  if (n < 0) return points[0].by;
  const here = points[n];
  const next = points[n + 1];
  if (!next || here.shape === 'step') return here.by;
  const way = (seconds - here.atS) / (next.atS - here.atS);
  const eased = here.shape === 'smooth' ? way * way * (3 - 2 * way) : way;
  return here.by + (next.by - here.by) * eased;
}

/** How many cycles have gone by at a time, without the phase that it begins with; fractional. */
export function cyclesAt({ rate }: Cycle, seconds: number, tempo: Tempo | null): number {
  if (rate.unit === 'Hz') return seconds * rate.value;
  return (tempo ? beatsAt(tempo, seconds) : seconds * 2) / rate.value;
}

/** Which depth of a cycle counts for what moves. */
export const depthKeys = {
  levelDb: 'depthDb',
  flanksDb: 'depthDb',
  peakDb: 'depthDb',
  driveDb: 'depthDb',
  panPercent: 'depthPercent',
  widthPercent: 'depthPercent',
  imagePercent: 'depthPercent',
  highCutOctaves: 'depthOctaves',
  delayMs: 'depthMs',
} as const satisfies Record<MovingParameter, keyof Cycle>;

const away = ({ depthDb }: Cycle, wave: number) => (-depthDb * (1 - wave)) / 2;
const narrower = ({ depthPercent }: Cycle, wave: number) => (-depthPercent * (1 - wave)) / 2;

/** By a wave from −1 to 1. */
const cycleAdds = {
  levelDb: away,
  flanksDb: away,
  panPercent: ({ depthPercent }: Cycle, wave: number) => depthPercent * wave,
  widthPercent: narrower,
  imagePercent: narrower,
  highCutOctaves: ({ depthOctaves }: Cycle, wave: number) => (-depthOctaves * (1 - wave)) / 2,
  delayMs: ({ depthMs }: Cycle, wave: number) => depthMs * wave,
  driveDb: away,
  // From none to so much: it only stands out.
  peakDb: ({ depthDb }: Cycle, wave: number) => (depthDb * (1 - wave)) / 2,
} as const satisfies Record<MovingParameter, unknown>;

/** The last of some points at or before a time, by halves: it is asked for in every quantum. −1 before the first. */
function lastBefore(points: readonly { readonly atS: number }[], seconds: number): number {
  let [low, high] = [0, points.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (points[middle].atS <= seconds) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

/** From −1 to 1; all begin at 1, where nothing is taken. */
const waves = {
  sine: (place: number) => sin(2 * PI * (place + 0.25)),
  triangle: (place: number) => 4 * abs(place - 0.5) - 1,
  square: (place: number) => (place < 0.5 ? 1 : -1),
} as const;
