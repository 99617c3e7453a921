import { join } from 'node:path';
import { writeFileSync } from 'node:fs';
import { ampDescription, usualMicrophone } from '@pannet/core/amps/amp';
import { cabinetImpulse } from '@pannet/core/amps/cabinet';
import { driveShapes, type DriveShape } from '@pannet/core/amps/drive';
import { bent, DriveRun } from '@pannet/core/amps/drive-run';
import { madeSource, type MakingStep } from '@pannet/core/derived/made-source';
import { makingLoader } from '@pannet/core/derived/making';
import { wavFile } from '@pannet/core/formats/wav-write';
import { Convolver } from '@pannet/core/signal/convolver';
import { brisk, gentle, HalfBand } from '@pannet/core/signal/half-band';
import { blockFrames, blockLength, type PcmSource } from '@pannet/core/sources/blocks';
import { rateHz, type Material } from './material.ts';
import { commandSeconds, median, ownSeconds, row } from './timing.ts';

const { PI, cos, hypot, log10, max, sin } = Math;

const driveDb = 30;

/** The curve itself at four or eight times the rate: what oversampling alone does. */
function plainly(shape: DriveShape, times: 4 | 8, samples: Float64Array): void {
  const taps = times === 4 ? [brisk, gentle] : [brisk, gentle, gentle];
  let fast = samples;
  const stages = [samples];
  for (const one of taps) {
    fast = new HalfBand(one).upsample(fast);
    stages.push(fast);
  }
  for (let n = 0; n < fast.length; n++) fast[n] = bent(shape, driveDb, fast[n]);
  for (let n = taps.length - 1; n >= 0; n--)
    new HalfBand(taps[n]).downsample(stages[n + 1], stages[n]);
}

function sine(seconds: number, hz: number, level: number): Float64Array {
  return Float64Array.from(
    { length: seconds * rateHz },
    (_, n) => level * sin((2 * PI * hz * n) / rateHz),
  );
}

/** What folds back of a 5 kHz sine at full scale, under it, in dB. */
function aliasing(work: (samples: Float64Array) => void): number {
  const samples = sine(2, 5000, 1);
  work(samples);
  const level = (hz: number) => {
    let [re, im] = [0, 0];
    for (let n = rateHz; n < 2 * rateHz; n++) {
      re += samples[n] * cos((2 * PI * hz * n) / rateHz);
      im += samples[n] * sin((2 * PI * hz * n) / rateHz);
    }
    return hypot(re, im);
  };
  let worst = 0;
  for (let hz = 500; hz < rateHz / 2; hz += 500) if (hz % 5000 !== 0) worst = max(worst, level(hz));
  return 20 * log10(worst / level(5000));
}

/** Drives beside plain oversampling; a whole chain; a cabinet beside ffmpeg's convolution. */
export async function ampSpeed({ mono, folder }: Material): Promise<void> {
  const stretch = Float64Array.from(mono.subarray(0, 20 * rateHz));
  for (const shape of driveShapes) {
    const works = {
      ours: (samples: Float64Array) =>
        new DriveRun({ driveDb, shape, inputDb: 0 }).process(samples),
      four: (samples: Float64Array) => plainly(shape, 4, samples),
      eight: (samples: Float64Array) => plainly(shape, 8, samples),
    };
    const times: Record<keyof typeof works, number[]> = { ours: [], four: [], eight: [] };
    for (let n = 0; n < 3; n++)
      for (const [name, work] of Object.entries(works) as [
        keyof typeof works,
        (typeof works)['ours'],
      ][])
        times[name].push(await ownSeconds(() => work(stretch.slice())));
    const [ours, four, eight] = [times.ours, times.four, times.eight].map(median);
    row(
      `drive, ${shape}`,
      `${(ours / four).toFixed(2)} × plain 4× oversampling (mark ≤ 1.5), ${(ours / eight).toFixed(2)} × plain 8×; ` +
        `5 kHz at ${driveDb} dB folds back at ${aliasing(works.ours).toFixed(1)} dBc (mark ≤ −50; plain 4× ${aliasing(works.four).toFixed(1)}, 8× ${aliasing(works.eight).toFixed(1)})`,
    );
  }
  const amp = ampDescription.parse({
    driveDb: 20,
    squashPercent: 30,
    tone: { lowDb: 2, presenceDb: 3 },
    cabinet: { kind: 'squat-four-cone' },
  });
  const impulse = cabinetImpulse({ ...usualMicrophone, kind: 'squat-four-cone' }, rateHz);
  // As it is made: block by block, each step with what it has to see of the one before.
  const raw = { key: 'take', frames: stretch.length };
  const body = { ...amp, inputDb: 0, still: false };
  const steps: MakingStep[] = [
    { kind: 'drive', drive: amp },
    { kind: 'body', body, ratio: 1 },
    { kind: 'cabinet', cabinet: { ...usualMicrophone, kind: 'squat-four-cone' }, ratio: 1 },
  ];
  const source = steps.reduce<PcmSource>((from, step) => madeSource(from, step, rateHz), raw);
  const chain = async () => {
    const load = makingLoader((_, index) =>
      Promise.resolve(mono.slice(index * blockFrames, (index + 1) * blockFrames)),
    );
    for (let index = 0; index * blockLength(source) < raw.frames; index++)
      await load(source, index);
  };
  const whole: number[] = [];
  for (let n = 0; n < 5; n++) whole.push(await ownSeconds(chain));
  const share = median(whole) / 20;
  row(
    'amp chain, drive to cabinet',
    `${(100 * share).toFixed(1)} % of a core; 16 of them ${(1600 * share).toFixed(0)} % (mark 70)`,
  );

  const [file, response] = [join(folder, 'dry.wav'), join(folder, 'cabinet.wav')];
  writeFileSync(file, wavFile([mono], rateHz, '32f'));
  writeFileSync(response, wavFile([Float32Array.from(impulse)], rateHz, '32f'));
  const words = ['-v', 'error', '-y', '-i', file, '-i', response];
  const filter = ['-lavfi', '[0][1]afir=gtype=none', '-f', 'null', '-'];
  const convolver = new Convolver(impulse);
  const mine: number[] = [];
  const ffmpeg: number[] = [];
  for (let n = 0; n < 3; n++) {
    mine.push(await ownSeconds(() => convolver.process(mono, mono.length)));
    ffmpeg.push(commandSeconds('ffmpeg', [...words, ...filter]));
  }
  row(
    `cabinet, ${impulse.length} taps`,
    `${(median(mine) / median(ffmpeg)).toFixed(2)} × the time of ffmpeg's afir; ${(mono.length / rateHz / median(mine)).toFixed(0)} × real time (mark ≥ 50)`,
  );
}
