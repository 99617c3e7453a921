import type { Complex } from '../signal/long-fir.ts';
import { fftOf, nextPowerOfTwo } from '../signal/spectrum.ts';
import { framesReader, type BlockLoader, type PcmSource } from '../sources/blocks.ts';
import type { HeardThrough } from './amp.ts';
import { cabinetImpulse } from './cabinet.ts';
import { recordedImpulse } from './recorded-impulse.ts';

const { floor, min } = Math;

const known = new Map<string, (hz: number) => Complex>();
const mostKnown = 32;

/** Recorded impulse responses that were read here, by the keys of their sources and their lengths. */
const samplesOf = new Map<string, Float32Array>();
const mostSamples = 64;
const nameOf = ({ key, frames }: PcmSource) => `${key}/${frames}`;

/** The values of a recorded impulse response; read once. */
export async function impulseSamples(source: PcmSource, load: BlockLoader): Promise<Float32Array> {
  const before = samplesOf.get(nameOf(source));
  if (before) return before;
  const samples = await framesReader(source, load)(0, source.frames);
  if (samplesOf.size >= mostSamples) samplesOf.clear();
  samplesOf.set(nameOf(source), samples);
  return samples;
}

export function isRead(source: PcmSource): boolean {
  return samplesOf.has(nameOf(source));
}

/** The impulse of a cabinet; null for a recorded one that was not read here yet. */
function impulseOf(cabinet: HeardThrough, rateHz: number): Float64Array | null {
  if ('kind' in cabinet) return cabinetImpulse(cabinet, rateHz);
  const samples = samplesOf.get(nameOf(cabinet.impulse));
  return samples ? recordedImpulse(samples, cabinet, rateHz) : null;
}

/**
 * What a cabinet does at a frequency: the transform of its impulse, straight between its bins. A recorded one that was not read here yet is
 * taken for nothing: whoever predicts by it reads it first.
 */
export function cabinetResponse(cabinet: HeardThrough, rateHz: number): (hz: number) => Complex {
  const key = JSON.stringify([cabinet, rateHz]);
  const before = known.get(key);
  if (before) return before;
  const impulse = impulseOf(cabinet, rateHz);
  if (!impulse) return () => ({ re: 1, im: 0 });
  const size = nextPowerOfTwo(6 * impulse.length);
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
