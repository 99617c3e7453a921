import type { MovingParameter } from '../parameters/tables.ts';
import { cyclesAt, depthKeys, type Curve, type Cycle } from './curve.ts';
import { secondsAtBeat, type Tempo } from './tempo.ts';

const { ceil } = Math;

/** No song is gone through for more of them: sixty-four a second for a quarter of an hour. */
const mostJumps = 60_000;

/**
 * When a curve jumps from one value to another, in seconds, in order: where a point that holds its value ends, and where a square cycle turns.
 * @param untilS what comes later is left out
 */
export function jumpsOf(
  curve: Curve,
  tempo: Tempo | null,
  untilS: number,
  parameter: MovingParameter,
): number[] {
  if (curve.kind === 'cycle')
    return curve.shape === 'square' && curve[depthKeys[parameter]] > 0
      ? turnsOf(curve, tempo, untilS)
      : [];
  const { points } = curve;
  return points.flatMap(({ atS, by }, n) => {
    const before = n > 0 ? points[n - 1] : undefined;
    return before?.shape === 'step' && before.by !== by && atS < untilS ? [atS] : [];
  });
}

/** Each half of a square cycle is one value. */
function turnsOf(cycle: Cycle, tempo: Tempo | null, untilS: number): number[] {
  const { rate, phasePercent } = cycle;
  const secondsAt = (cycles: number) =>
    rate.unit === 'Hz'
      ? cycles / rate.value
      : tempo
        ? secondsAtBeat(tempo, cycles * rate.value)
        : (cycles * rate.value) / 2;
  const phase = phasePercent / 100;
  const first = ceil(2 * phase + 1e-9);
  const last = ceil(2 * (cyclesAt(cycle, untilS, tempo) + phase)) - 1;
  const turns: number[] = [];
  for (let half = first; half <= last && turns.length < mostJumps; half++)
    turns.push(secondsAt(half / 2 - phase));
  return turns;
}
