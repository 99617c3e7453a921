/**
 * Fade from 0 towards 1 in `count` steps: the running sum of a Hann window. Entry n is the weight of the new state at
 * step n. Its first and second derivatives start and end at 0, so that a change of a 1 kHz tone within 20 ms leaves next
 * to nothing outside ±100 Hz, also where one fade follows another (a half cosine leaves up to −43 dB there).
 */
export function fadeTable(count: number): Float64Array {
  const weights = new Float64Array(count);
  for (let n = 0; n < count; n++) {
    const share = (n + 0.5) / count;
    weights[n] = share - Math.sin(2 * Math.PI * share) / (2 * Math.PI);
  }
  return weights;
}
