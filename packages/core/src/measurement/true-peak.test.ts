import { expect, test } from '@jest/globals';
import { sine } from './signals.fixture.ts';
import { TruePeakMeter } from './true-peak.ts';

function truePeak(samples: Float32Array, rateHz: number) {
  const meter = new TruePeakMeter(rateHz, 1);
  meter.process([samples], samples.length);
  return meter.truePeakDbtp();
}

/** EBU Tech 3341 (2016), cases 15 to 19: tolerance +0.2/−0.4 dB; from memory. */
test.each([
  ['case 15', 4, 0, 0.5, -6],
  ['case 16', 4, 45, 0.5, -6],
  ['case 17', 6, 60, 0.5, -6],
  ['case 18', 8, 67.5, 0.5, -6],
  ['case 19', 4, 45, 1.41, 3],
])(
  'EBU Tech 3341 %s: a sine of rate/%i at %f° reads its true peak',
  (_, part, phase, amplitude, expected) => {
    const tone = sine(48_000 / part, 20 * Math.log10(amplitude), 1, 48_000, phase);
    // An abrupt start overshoots between its samples; the case is about the steady tone, so its ends are faded.
    for (let n = 0; n < 480; n++) {
      tone[n] *= n / 480;
      tone[tone.length - 1 - n] *= n / 480;
    }
    const error = truePeak(tone, 48_000) - expected;
    expect(error).toBeLessThan(0.2);
    expect(error).toBeGreaterThan(-0.4);
  },
);

test('the peak is found wherever it lies, whatever the pieces', () => {
  const samples = new Float32Array(9000);
  samples[4321] = 0.5;
  samples[4322] = 0.5;
  const whole = truePeak(samples, 48_000);
  expect(whole).toBeGreaterThan(20 * Math.log10(0.6));
  const meter = new TruePeakMeter(48_000, 1);
  for (let at = 0; at < samples.length; at += 97)
    meter.process([samples.subarray(at, at + 97)], Math.min(97, samples.length - at));
  expect(meter.truePeakDbtp()).toBeCloseTo(whole, 6);
  expect(meter.samplePeakDbfs()).toBeCloseTo(-6.02, 2);
});
