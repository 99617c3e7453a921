import type { Complex } from '../signal/long-fir.ts';
import { fftOf, nextPowerOfTwo } from '../signal/spectrum.ts';
import type { Cabinet } from './amp.ts';
import { cabinetImpulse } from './cabinet.ts';

const { floor, min } = Math;

const known = new Map<string, (hz: number) => Complex>();
const mostKnown = 32;

/** What a cabinet does at a frequency: the transform of its impulse, straight between its bins. */
export function cabinetResponse(cabinet: Cabinet, rateHz: number): (hz: number) => Complex {
  const key = JSON.stringify([cabinet, rateHz]);
  const before = known.get(key);
  if (before) return before;
  const impulse = cabinetImpulse(cabinet, rateHz);
  const size = 4 * nextPowerOfTwo(impulse.length);
  const fft = fftOf(size);
  const padded = new Array<number>(size).fill(0);
  for (let n = 0; n < impulse.length; n++) padded[n] = impulse[n];
  const spectrum = fft.createComplexArray();
  fft.realTransform(spectrum, padded);
  const at = (hz: number): Complex => {
    const place = min(size / 2 - 1, (hz * size) / rateHz);
    const bin = floor(place);
    const share = place - bin;
    const between = (k: number) =>
      (1 - share) * spectrum[2 * bin + k] + share * spectrum[2 * bin + 2 + k];
    return { re: between(0), im: between(1) };
  };
  if (known.size >= mostKnown) known.clear();
  known.set(key, at);
  return at;
}
