import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { bytesInMemory } from '@pannet/core/formats/byte-source';
import { LoudnessMeter } from '@pannet/core/measurement/loudness';
import { TruePeakMeter } from '@pannet/core/measurement/true-peak';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { wavFile } from '@pannet/core/formats/wav-write';
import type { Image } from '@pannet/core/image/image';
import { neutralStage } from '@pannet/core/image/stage';
import { renderPart } from '@pannet/core/rendering/offline';
import { readWavChannels } from '@pannet/core/sources/wav-blocks';
import { lagTableFor, planSplices } from '@pannet/core/voices/splice-planning';
import { newVoice, splicedKinds, type TunerKind } from '@pannet/core/voices/voice';
import { planOf, rateHz, type Material } from './material.ts';
import { fetchRecordings, samplesPackage } from './recordings.ts';
import { besidePartialsDb, bestConvergence, sineFigures } from './spectra.ts';
import { commandSeconds, inTurn, median, ownSeconds, row } from './timing.ts';

const rubberband = existsSync('/usr/bin/rubberband');
const missing = 'rubberband is not installed (apt-get install rubberband-cli)';

/** One voice alone on the left. */
function tunedImage(kind: TunerKind, cents: number): Image {
  const placement = { kind: 'pan', panPercent: -100 } as const;
  return {
    voices: [newVoice('t', 'tuned', { placement, tuner: { kind, cents } })],
    stage: neutralStage,
  };
}

/** Our own tuner over a whole signal. */
async function tuned(signal: Float32Array, kind: TunerKind, cents: number): Promise<Float32Array> {
  const { plan, load } = await planOf([signal], () => tunedImage(kind, cents));
  const out = new Float32Array(signal.length);
  for await (const { frame, left } of renderPart(plan, 'p0', load, 0, signal.length))
    out.set(left, frame);
  return out;
}

/** The same by rubberband's engine 2 or 3. */
async function stretched(
  signal: Float32Array,
  cents: number,
  engine: readonly string[],
  folder: string,
): Promise<Float32Array | null> {
  const [from, to] = [join(folder, 'in.wav'), join(folder, 'shifted.wav')];
  writeFileSync(from, wavFile([signal], rateHz, '32f'));
  const words = [...engine, '-q', '-p', String(cents / 100), from, to];
  if (spawnSync('rubberband', words).status !== 0) return null;
  const bytes = bytesInMemory(new Uint8Array(readFileSync(to)));
  const layout = await readWavLayout(bytes, to);
  return layout.ok ? (await readWavChannels(bytes, layout.value))[0] : null;
}

/**
 * A tuner that is measured, with the settings that it may choose from: each reference is given the one that does best on the
 * material at hand, and the row says which.
 */
interface Engine {
  readonly name: string;
  readonly settings: readonly {
    readonly name: string;
    readonly tune: (signal: Float32Array, cents: number) => Promise<Float32Array | null>;
  }[];
}

/** Crispness 5 resets phases at what it takes for onsets, 0 never does: neither is best on everything. */
const crispness = ['0', '5'] as const;

function engines(kind: TunerKind, folder: string): Engine[] {
  const ours: Engine = {
    name: 'ours',
    settings: [{ name: '', tune: (signal, cents) => tuned(signal, kind, cents) }],
  };
  if (!rubberband) return [ours];
  const reference = (name: string, engine: string): Engine => ({
    name,
    settings: crispness.map((level) => ({
      name: ` (-c ${level})`,
      tune: (signal, cents) => stretched(signal, cents, [engine, '-c', level], folder),
    })),
  });
  return [ours, reference('R2', '-2'), reference('R3', '-3')];
}

/** What an engine does at its best setting, by a figure of which less is better. */
async function atBest<Figures>(
  { name, settings }: Engine,
  measure: (tune: Engine['settings'][number]['tune']) => Promise<Figures | null>,
  figureOf: (figures: Figures) => number,
): Promise<{ readonly name: string; readonly figures: Figures } | null> {
  let best: { readonly name: string; readonly figures: Figures } | null = null;
  for (const setting of settings) {
    const figures = await measure(setting.tune);
    if (figures !== null && (best === null || figureOf(figures) < figureOf(best.figures)))
      best = { name: `${name}${setting.name}`, figures };
  }
  return best;
}

function sum(
  partials: readonly (readonly [hz: number, level: number])[],
  seconds: number,
): Float32Array {
  const signal = new Float32Array(seconds * rateHz);
  for (const [k, [hz, level]] of partials.entries())
    for (let n = 0; n < signal.length; n++)
      signal[n] += 0.2 * level * Math.sin((2 * Math.PI * hz * n) / rateHz + k);
  return signal;
}

/** Every mark of quality, ours beside rubberband's two engines. */
export async function tunerMarks(folder: string): Promise<void> {
  if (!rubberband) row('tuner, references', missing);
  await sines(folder);
  await partialSounds(folder);
  await recordings(folder);
}

async function sines(folder: string): Promise<void> {
  for (const hz of [82, 196, 440, 1000, 3100, 10_000]) {
    const source = sum([[hz, 1]], 6);
    for (const engine of engines('single', folder)) {
      const best = await atBest(
        engine,
        async (tune) => {
          let [error, am, residual] = [0, 0, -Infinity];
          for (const cents of [-50, -5, 5, 50]) {
            const made = await tune(source, cents);
            if (!made) return null;
            const figures = sineFigures(made, hz * 2 ** (cents / 1200), rateHz);
            error = Math.max(error, Math.abs(figures.errorCents));
            am = Math.max(am, figures.amDb);
            residual = Math.max(residual, figures.residualDb);
          }
          return { error, am, residual };
        },
        ({ residual }) => residual,
      );
      row(
        `tuner, sine of ${hz} Hz by ±5 and ±50 cents: ${best?.name ?? engine.name}`,
        best
          ? `error ${best.figures.error.toFixed(4)} c, AM ${best.figures.am.toFixed(3)} dB, residual ${best.figures.residual.toFixed(1)} dBc (marks 0.01, 0.05, −75)`
          : 'could not be run',
      );
    }
  }
}

async function partialSounds(folder: string): Promise<void> {
  const saw = Array.from({ length: 180 }, (_, k) => [110 * (k + 1), 1 / (k + 1)] as const);
  // E, B and E of a string that is a little stiff: no partial is a multiple of another.
  const chord = [82.41, 123.47, 164.81].flatMap((hz) =>
    Array.from(
      { length: 14 },
      (_, k) => [hz * (k + 1) * Math.sqrt(1 + 6e-5 * (k + 1) ** 2), 1 / (k + 1)] as const,
    ),
  );
  for (const [what, kind, partials, marks] of [
    ['saw of 110 Hz', 'single', saw, [-50, -50]],
    ['chord E-B-E', 'chords', chord, [-35, -28]],
    ['chord E-B-E', 'pads', chord, [-62, -62]],
  ] as const) {
    const source = sum(partials, 6);
    for (const [n, cents] of [10, 50].entries())
      for (const engine of engines(kind, folder)) {
        const places = partials.map(([hz]) => hz * 2 ** (cents / 1200));
        const best = await atBest(
          engine,
          async (tune) => {
            const made = await tune(source, cents);
            return made && besidePartialsDb(made, places, rateHz);
          },
          (beside) => beside,
        );
        row(
          `tuner, ${what} by ${cents} cents: ${best?.name ?? engine.name}`,
          best
            ? `${best.figures.toFixed(1)} dB beside the partials (mark ≤ ${marks[n]})`
            : 'could not be run',
        );
      }
  }
}

async function recordings(folder: string): Promise<void> {
  const recorded = await fetchRecordings(folder);
  if (recorded === null) {
    row('tuner, real recordings', `skipped: Debian's ${samplesPackage} could not be fetched`);
    return;
  }
  for (const { what, kind, path, samples, channels, fromHz } of recorded) {
    loudnessBeside(what, path, channels, fromHz);
    const source = samples.subarray(0, 8 * rateHz);
    for (const cents of [10, 50]) {
      const found: string[] = [];
      for (const engine of engines(kind, folder)) {
        const best = await atBest(
          engine,
          async (tune) => {
            const made = await tune(source, cents);
            return made && bestConvergence(source, made, 2 ** (cents / 1200), 1536);
          },
          (convergence) => convergence,
        );
        found.push(best ? `${best.name} ${best.figures.toFixed(3)}` : `${engine.name} not run`);
      }
      row(
        `tuner, ${what} by ${cents} cents`,
        `convergence ${found.join(', ')} (mark: no worse than the best, or within 15 %)`,
      );
    }
  }
}

/** Loudness and true peak of a recording, beside ffmpeg's. */
function loudnessBeside(
  what: string,
  path: string,
  channels: readonly Float32Array[],
  fromHz: number,
): void {
  const meter = new LoudnessMeter(fromHz, channels.length);
  const peaks = new TruePeakMeter(fromHz, channels.length);
  meter.process(channels, channels[0].length);
  peaks.process(channels, channels[0].length);
  const words = [
    '-hide_banner',
    '-nostats',
    '-i',
    path,
    '-af',
    'ebur128=peak=true',
    '-f',
    'null',
    '-',
  ];
  const { status, stderr } = spawnSync('ffmpeg', words, { encoding: 'utf8' });
  const summary = stderr.slice(stderr.lastIndexOf('Summary:'));
  const [, lufs] = /I: +(-?[\d.]+) LUFS/.exec(summary) ?? [];
  const [, peak] = /Peak: +(-?[\d.]+) dBFS/.exec(summary) ?? [];
  row(
    `loudness of ${what} against ffmpeg`,
    status === 0
      ? `${(meter.integrated() - Number(lufs)).toFixed(2)} LU, true peak ${(peaks.truePeakDbtp() - Number(peak)).toFixed(2)} dB apart; it prints one place (marks 0.1, 0.1)`
      : 'ffmpeg could not be run',
  );
}

/** Planning the splices of five minutes, the lags looked for, and again with them known. */
export async function planningSpeed({ mono }: Material): Promise<void> {
  const read = (start: number, count: number) =>
    Promise.resolve(
      start >= 0 && start + count <= mono.length
        ? mono.subarray(start, start + count)
        : Float32Array.from({ length: count }, (_, n) => mono[start + n] ?? 0),
    );
  for (const kind of splicedKinds) {
    const times = [];
    for (let n = 0; n < 3; n++) {
      const table = lagTableFor(kind, 1, rateHz);
      const plan = () =>
        planSplices({ kind, ratio: 2 ** (10 / 1200), rateHz, frames: mono.length, read, table });
      times.push({ first: await ownSeconds(plan), again: await ownSeconds(plan) });
    }
    row(
      `planning 5 min of ${kind} by 10 cents`,
      `${(300 / median(times.map(({ first }) => first))).toFixed(0)} × real time, another tuning of it ${(300 / median(times.map(({ again }) => again))).toFixed(0)} × (mark ≥ 60)`,
    );
  }
}

/** One line, 7 cents up, five minutes: reading along splices that are planned, as a song is played and rendered; and with the planning of them. */
export async function tunerSpeed({ mono, monoPath, folder }: Material): Promise<void> {
  const image: Image = {
    voices: [newVoice('t', 'tuned', { tuner: { kind: 'single', cents: 7 } })],
    stage: neutralStage,
  };
  let planned = await planOf([mono], () => image);
  const planning: number[] = [];
  const ours = async () => {
    planning.push(await ownSeconds(async () => void (planned = await planOf([mono], () => image))));
    return ownSeconds(async () => {
      const { plan, load } = planned;
      for await (const block of renderPart(plan, 'p0', load, 0, mono.length))
        if (block.left.length === 0) throw new Error('An empty block.');
    });
  };
  if (!existsSync('/usr/bin/rubberband')) {
    row(
      'tuner, 5 min by 7 cents',
      `${(300 / (await ours())).toFixed(0)} × real time; rubberband is not installed (apt-get install rubberband-cli)`,
    );
    return;
  }
  for (const [name, engine, mark] of [
    ['R2', '-2', 10],
    ['R3', '-3', 30],
  ] as const) {
    // Against the faster of its settings.
    const results = [];
    for (const level of engine === '-2' ? crispness : (['5'] as const)) {
      const words = [engine, '-c', level, '-q', '-p', '0.07', monoPath, join(folder, 'out.wav')];
      const result = await inTurn(engine === '-2' ? 3 : 1, ours, () =>
        commandSeconds('rubberband', words),
      );
      results.push({ ...result, level });
    }
    const [least] = results
      .filter(({ ratio }) => !Number.isNaN(ratio))
      .sort((one, other) => other.ratio - one.ratio);
    row(
      `tuner, 5 min by 7 cents, against ${name}`,
      least
        ? `${(1 / least.ratio).toFixed(1)} × as fast as with -c ${least.level} (mark ≥ ${mark}); ours ${(300 / least.ours).toFixed(0)} × real time, planned in ${median(planning).toFixed(1)} s`
        : `this rubberband has no ${name}`,
    );
  }
}
