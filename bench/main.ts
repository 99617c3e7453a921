import { rmSync } from 'node:fs';
import { cpus } from 'node:os';
import { LoudnessMeter } from '@pannet/core/measurement/loudness';
import { measureStereo } from '@pannet/core/measurement/report';
import { transformSizeFor } from '@pannet/core/measurement/spectra';
import { TruePeakMeter } from '@pannet/core/measurement/true-peak';
import type { Image } from '@pannet/core/image/image';
import { neutralStage } from '@pannet/core/image/stage';
import { newVoice } from '@pannet/core/voices/voice';
import { recipes } from '@pannet/core/image/recipes';
import { renderPart } from '@pannet/core/rendering/offline';
import { fftOf } from '@pannet/core/signal/spectrum';
import { bytesInMemory } from '@pannet/core/formats/byte-source';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { readWavChannels } from '@pannet/core/sources/wav-blocks';
import { readFile } from 'node:fs/promises';
import { serialize } from 'node:v8';
import { compile } from '@pannet/core/rendering/compile';
import { PlanSender } from '@pannet/core/rendering/plan-change';
import { apply } from '@pannet/core/song/commands';
import { makeMaterial, planOf, rateHz, songOf, type Material } from './material.ts';
import { load } from './load.ts';
import { ampSpeed } from './amps.ts';
import { roomSpeed } from './rooms.ts';
import { wholeSong } from './whole-song.ts';
import { judgeFigures } from './judges.ts';
import { judgeLiningUp, lineUpSpeed } from './line-up.ts';
import { planningSpeed, tunerMarks, tunerSpeed } from './tuner.ts';
import { commandSeconds, inTurn, median, ownSeconds, row } from './timing.ts';

const rounds = 5;
const seconds = 300;

/** Twelve parts of three voices each: how many times faster than it plays. */
async function renderSpeed({ mono }: Material): Promise<void> {
  const minute = mono.subarray(0, 60 * rateHz);
  for (const [name, image] of [
    ['three delayed voices', delayedVoices()],
    ['anchor and two tuned voices', recipes[1].image],
  ] as const) {
    const { plan, load } = await planOf(
      Array.from({ length: 12 }, () => minute),
      () => image,
    );
    const speeds: number[] = [];
    for (let n = 0; n < 3; n++) {
      const spent = await ownSeconds(async () => {
        for (const part of plan.parts)
          for await (const block of renderPart(plan, part.id, load, 0, minute.length))
            if (block.left.length === 0) throw new Error('An empty block.');
      });
      speeds.push(60 / spent);
    }
    row(`render, 12 parts × ${name}`, `${median(speeds).toFixed(1)} × real time on one core`);
  }
}

function delayedVoices(): Image {
  const voices = [0, 11.03, 17.21].map((value, n) =>
    newVoice(`v${n}`, `voice ${n}`, {
      placement: { kind: 'pan', panPercent: n * 60 - 60 },
      delay: { value, unit: 'ms' },
    }),
  );
  return { voices, stage: neutralStage };
}

/** Loudness and true peak of the same file: reading and decoding included on both sides, and, for ours, also without. */
async function loudness({ stereoPath, left, right }: Material): Promise<void> {
  const meter = (l: Float32Array, r: Float32Array) => {
    const loud = new LoudnessMeter(rateHz, 2);
    const peaks = new TruePeakMeter(rateHz, 2);
    for (let at = 0; at < l.length; at += 65_536) {
      const pieces = [l.subarray(at, at + 65_536), r.subarray(at, at + 65_536)];
      loud.process(pieces, pieces[0].length);
      peaks.process(pieces, pieces[0].length);
    }
    return [loud.integrated(), peaks.truePeakDbtp()];
  };
  const ffmpeg = [
    '-hide_banner',
    '-nostats',
    '-i',
    stereoPath,
    '-af',
    'ebur128=peak=true:framelog=verbose',
    '-f',
    'null',
    '-',
  ];
  const gross = await inTurn(
    rounds,
    () =>
      ownSeconds(async () => {
        const [l, r] = await decoded(stereoPath);
        meter(l, r);
      }),
    () => commandSeconds('ffmpeg', ffmpeg),
  );
  const net = await inTurn(
    rounds,
    () => ownSeconds(() => meter(left, right)),
    () =>
      commandSeconds('ffmpeg', ffmpeg) -
      commandSeconds('ffmpeg', ['-hide_banner', '-nostats', '-i', stereoPath, '-f', 'null', '-']),
  );
  row(
    'loudness + true peak, gross',
    `${gross.ratio.toFixed(2)} × the time of ffmpeg ebur128 (mark ≤ 0.5)`,
  );
  row(
    'loudness + true peak, net of decoding',
    `${net.ratio.toFixed(2)} × the time of ffmpeg ebur128`,
  );
}

async function decoded(path: string): Promise<readonly Float32Array[]> {
  const source = bytesInMemory(new Uint8Array(await readFile(path)));
  const layout = await readWavLayout(source, path);
  if (!layout.ok) throw new Error(layout.error.sentence);
  return readWavChannels(source, layout.value);
}

/** The transforms of a third of a second, overlapping by half, that a measurement goes through, by the package fft.js. */
function plainTransforms(sides: readonly Float32Array[]): void {
  const size = transformSizeFor(rateHz);
  const fft = fftOf(size);
  const spectrum = fft.createComplexArray();
  const block = new Array<number>(size).fill(0);
  const frames = size / 2;
  for (const side of sides)
    for (let at = 0; at + frames <= side.length; at += frames) {
      for (let n = 0; n < frames; n++) block[n] = side[at + n];
      fft.realTransform(spectrum, block);
    }
}

async function wholeMeasurement({ left, right }: Material): Promise<void> {
  const { ours, ratio } = await inTurn(
    rounds,
    () => ownSeconds(() => measureStereo(left, right, rateHz)),
    () => ownSeconds(() => plainTransforms([left, right])),
  );
  // What made 86 × on the day of the mark takes 2.4 × the time of the transforms.
  const mark = (2.4 * 86) / 150;
  row(
    'whole measurement of 5 min stereo',
    `${(seconds / ours).toFixed(0)} × real time on one core; ${ratio.toFixed(2)} × the time of its transforms alone by fft.js (mark ≤ ${mark.toFixed(2)}: 150 × by the pace of the machine on the day of the mark)`,
  );
}

/** One side 672.5 samples late, and width 80 %: the same with ffmpeg's filters, decoding and writing nothing on both sides. */
async function delayAndWidth({ monoPath }: Material): Promise<void> {
  const image: Image = {
    voices: [
      newVoice('l', 'left', { placement: { kind: 'pan', panPercent: -100 } }),
      newVoice('r', 'right', {
        placement: { kind: 'pan', panPercent: 100 },
        delay: { value: 672, unit: 'samples' },
      }),
    ],
    stage: { ...neutralStage, widthPercent: 80 },
  };
  const filters =
    'pan=stereo|c0=c0|c1=c0,adelay=0|672S,pan=stereo|c0=0.9*c0+0.1*c1|c1=0.1*c0+0.9*c1';
  const result = await inTurn(
    rounds,
    () =>
      ownSeconds(async () => {
        const [take] = await decoded(monoPath);
        const { plan, load } = await planOf([take], () => image);
        for await (const block of renderPart(plan, 'p0', load, 0, take.length))
          if (block.left.length === 0) throw new Error('An empty block.');
      }),
    () =>
      commandSeconds('ffmpeg', [
        '-hide_banner',
        '-nostats',
        '-i',
        monoPath,
        '-af',
        filters,
        '-f',
        'null',
        '-',
      ]),
  );
  row(
    'delay + M/S, decoding included',
    `${result.ratio.toFixed(2)} × the time of the same ffmpeg filters (later mark ≤ 0.6)`,
  );
}

/** One step of a drag in a song of 24 tuned parts: what the page works out, and what it posts to whoever plays. */
async function dragStep({ mono }: Material): Promise<void> {
  const take = mono.subarray(0, 30 * rateHz);
  const { song, splices } = await songOf(
    Array.from({ length: 24 }, () => take),
    () => recipes[1].image,
  );
  const sender = new PlanSender();
  let plan = compile(song, splices);
  sender.change(plan);
  let current = song;
  const times: number[] = [];
  let most = 0;
  for (let n = 1; n <= 300; n++) {
    const begun = performance.now();
    const dragged = apply(current, {
      id: 'c',
      name: 'drag',
      role: 'do',
      edits: [
        {
          kind: 'set-voice',
          partId: 'p7',
          voiceId: 'v2',
          changes: { delay: { value: 9 + (n % 50) / 10, unit: 'ms' } },
        },
      ],
    });
    if (!dragged.ok) throw new Error(dragged.error.sentence);
    current = dragged.value.song;
    plan = compile(current, splices, plan);
    const change = sender.change(plan);
    times.push(performance.now() - begun);
    most = Math.max(most, serialize(change).byteLength);
  }
  row(
    'a step of a drag in 24 tuned parts',
    `${median(times).toFixed(2)} ms, ${(most / 1000).toFixed(1)} kB posted (marks ≤ 1 ms, ≤ 20 kB)`,
  );
}

console.log(
  `Pannet bench: ${cpus().length} × ${cpus()[0]?.model ?? 'unknown'}, Node ${process.version}. Processor seconds, medians, sides in turn.`,
);
const material = await makeMaterial();
try {
  await renderSpeed(material);
  await lineUpSpeed(material);
  await ampSpeed(material);
  await roomSpeed(material);
  await wholeSong(material);
  await loudness(material);
  await wholeMeasurement(material);
  await delayAndWidth(material);
  await planningSpeed(material);
  await tunerSpeed(material);
  await tunerMarks(material.folder);
  await judgeFigures(material.folder);
  await judgeLiningUp(material.folder);
  await load(material);
  await dragStep(material);
} finally {
  rmSync(material.folder, { recursive: true, force: true });
}
