import { group, withDefaults, type Described } from '../parameters/description.ts';
import { wornParameters } from '../parameters/tables.ts';
import { seededHash } from '../signal/random.ts';

const { ceil, floor, min, round } = Math;

/** What a voice has lost on its way: bits, rate, and a grain that lies under the sound and is silent with it. */
export const wornDescription = withDefaults(group(wornParameters));
export type Worn = Described<typeof wornDescription>;

export const notWorn: Worn = wornDescription.parse({});

export function isWorn({ bits, heldHz, grainDb }: Worn): boolean {
  return bits !== null || heldHz !== null || grainDb !== null;
}

/** So many frames before each one are seen. */
export function wornReach({ heldHz }: Worn, rateHz: number): number {
  return heldHz === null || heldHz >= rateHz ? 0 : ceil(rateHz / heldHz) + 1;
}

/**
 * Wears a stretch. A lower rate holds each value until the next one is due, and folds what lies above half of it, as is meant; grain is a
 * noise in proportion to the value; fewer bits round to steps of full scale.
 * @param input `behind` frames more than `count`, before it
 * @param start absolute frame of the first that comes out: what is done to a frame hangs on it and on nothing else
 * @param seed of the grain
 */
export function wear(
  input: Float32Array,
  behind: number,
  start: number,
  count: number,
  { bits, heldHz, grainDb }: Worn,
  rateHz: number,
  seed: number,
): Float32Array {
  const out = new Float32Array(count);
  const held = heldHz !== null && heldHz < rateHz ? heldHz / rateHz : null;
  const grain = grainDb === null ? 0 : 2 * 10 ** (grainDb / 20);
  const steps = bits === null ? 0 : 2 ** (bits - 1);
  for (let n = 0; n < count; n++) {
    const at = start + n;
    // The frame at which the value that is held now was taken.
    const taken = held === null ? at : min(at, ceil(floor(at * held + 1e-9) / held - 1e-9));
    let value = input[behind + n - (at - taken)];
    if (grain > 0) value *= 1 + grain * (seededHash(seed, taken) - 0.5);
    if (steps > 0) value = round(value * steps) / steps;
    out[n] = value;
  }
  return out;
}
