/** Of so many frames one is looked at first, where a shift is looked for. */
export const thinned = 4;

/** Sums of so many neighbours: next to nothing of what folds over is as loud as what is compared. */
export function thin(samples: Float32Array): Float32Array {
  const out = new Float32Array(Math.floor(samples.length / thinned));
  for (let n = 0; n < out.length; n++)
    for (let k = 0; k < thinned; k++) out[n] += samples[n * thinned + k];
  return out;
}
