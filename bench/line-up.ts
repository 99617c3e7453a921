import { makingLoader } from '@pannet/core/derived/making';
import { arrangedSource } from '@pannet/core/derived/take-source';
import { Biquad } from '@pannet/core/signal/biquad';
import { highShelf } from '@pannet/core/signal/filters';
import { fftOf, nextPowerOfTwo } from '@pannet/core/signal/spectrum';
import { seededRandom } from '@pannet/core/signal/random';
import { blockFrames, framesReader } from '@pannet/core/sources/blocks';
import { joinFrames } from '@pannet/core/takes/arrangement';
import { fluxOf, onsetsOf } from '@pannet/core/takes/line-up/flux';
import { lineUp, median, type TakeToRead } from '@pannet/core/takes/line-up/line-up';
import { placeOnPath } from '@pannet/core/takes/line-up/path';
import { rateHz, type Material } from './material.ts';
import { fetchRecordings, fetchSpoken, samplesPackage, spokenPackage } from './recordings.ts';
import { median as middle, ownSeconds, row } from './timing.ts';

const { abs, floor, max, min, round } = Math;

const inMs = (frames: number) => (frames / rateHz) * 1000;
const inFrames = (ms: number) => round((ms * rateHz) / 1000);

function inMemory(samples: Float32Array): TakeToRead {
  const source = { key: 'take', frames: samples.length };
  const read = framesReader(source, (_, index) =>
    Promise.resolve(samples.subarray(index * blockFrames, (index + 1) * blockFrames)),
  );
  return { read, frames: samples.length };
}

interface Performed {
  readonly samples: Float32Array;
  readonly onsets: readonly number[];
  /** Of each onset, in frames. */
  readonly late: readonly number[];
}

/** Another microphone, farther away: softer, brighter, with noise 45 dB under its peak. In place. */
function recordedAnew(samples: Float32Array, seed: number): void {
  const random = seededRandom(seed);
  const toned = new Float64Array(samples.length);
  new Biquad(highShelf(2500, 3, 0.7, rateHz)).process(samples, toned, toned.length);
  const peak = toned.reduce((most, value) => max(most, abs(value)), 0);
  const noise = peak * 10 ** (-45 / 20);
  for (let n = 0; n < samples.length; n++)
    samples[n] = 10 ** (-4 / 20) * (toned[n] + noise * (2 * random() - 1));
}

/** A recording whose notes were moved by up to 18 ms each, all of it by an offset, perhaps turned over; recorded anew. */
async function performed(
  recording: Float32Array,
  seed: number,
  offsetMs: number,
  inverted: boolean,
): Promise<Performed> {
  const flux = await fluxOf(inMemory(recording).read, recording.length, rateHz);
  const onsets = onsetsOf(flux).map((hop) => hop * flux.hopFrames);
  const random = seededRandom(seed);
  const late = onsets.map(() => inFrames(offsetMs + 36 * random() - 18));
  const join = joinFrames(rateHz);
  // A note that comes later leaves room, in which the end of the one before it is heard again.
  const knots = onsets.map((onset, n) => ({
    at: onset - inFrames(8) + min(late[n], late[n - 1] ?? late[n]) - join,
    shift: -late[n],
  }));
  const inOrder = knots.filter(({ at }, n) => at > (n === 0 ? 0 : knots[n - 1].at));
  const path = {
    at: [0, ...inOrder.map(({ at }) => at)],
    shift: [-(late[0] ?? inFrames(offsetMs)), ...inOrder.map(({ shift }) => shift)],
    alike: [1, ...inOrder.map(() => 0.5)],
  };
  const align = {
    to: 'reference',
    tightnessPercent: 100,
    polarity: inverted ? ('inverted' as const) : ('normal' as const),
    path,
    anchors: [],
  };
  const source = arrangedSource(
    { key: 'recording', frames: recording.length },
    { clips: null, align },
    rateHz,
  );
  const load = makingLoader((_, index) =>
    Promise.resolve(recording.subarray(index * blockFrames, (index + 1) * blockFrames)),
  );
  const samples = await framesReader(source, load)(0, source.frames);
  recordedAnew(samples, seed);
  return { samples, onsets, late };
}

/** Where both lie against each other, by correlating all samples of both: what is found without any path. */
function correlated(one: Float32Array, other: Float32Array): number {
  const size = nextPowerOfTwo(one.length + other.length);
  const fft = fftOf(size);
  const packed = new Array<number>(2 * size).fill(0);
  for (let n = 0; n < one.length; n++) packed[2 * n] = one[n];
  for (let n = 0; n < other.length; n++) packed[2 * n + 1] = other[n];
  const z = fft.createComplexArray();
  fft.transform(z, packed);
  for (let k = 0; k < size; k++) {
    const m = k === 0 ? 0 : size - k;
    const [ar, ai] = [(z[2 * k] + z[2 * m]) / 2, (z[2 * k + 1] - z[2 * m + 1]) / 2];
    const [br, bi] = [(z[2 * k + 1] + z[2 * m + 1]) / 2, (z[2 * m] - z[2 * k]) / 2];
    packed[2 * k] = ar * br + ai * bi;
    packed[2 * k + 1] = ar * bi - ai * br;
  }
  fft.inverseTransform(z, packed);
  let best = 0;
  for (let n = 0; n < size; n++) if (abs(z[2 * n]) > abs(z[2 * best])) best = n;
  return best > size / 2 ? best - size : best;
}

/** Lining up five minutes, beside what only tells an offset. */
export async function lineUpSpeed({ mono }: Material): Promise<void> {
  const { samples, onsets } = await performed(mono, 5, 300, false);
  const [ours, theirs]: number[][] = [[], []];
  for (let n = 0; n < 3; n++) {
    ours.push(await ownSeconds(() => lineUp(inMemory(mono), inMemory(samples), rateHz, 70)));
    theirs.push(await ownSeconds(() => correlated(mono, samples)));
  }
  row(
    `lining up 5 min, ${onsets.length} onsets`,
    `${middle(ours).toFixed(1)} s of one core (mark ≤ 6), ${(middle(ours) / middle(theirs)).toFixed(2)} × the time of one correlation, which only tells an offset`,
  );
}

/** How near it comes on real recordings whose notes were moved, so that the truth is known. */
export async function judgeLiningUp(folder: string): Promise<void> {
  const recorded = await fetchRecordings(folder);
  if (recorded === null) {
    row('lining up recordings', `skipped: Debian's ${samplesPackage} could not be fetched`);
    return;
  }
  const spoken = await fetchSpoken(folder);
  if (spoken === null) row('lining up speech', `skipped: ${spokenPackage} could not be fetched`);
  const all = spoken ? [...recorded, { what: 'speech', samples: spoken }] : recorded;
  for (const { what, samples } of all) {
    const take = samples.subarray(0, 16 * rateHz);
    const apart: number[] = [];
    const only: number[] = [];
    let [offset, turned, sure, count] = [0, 0, 0, 0];
    let left: string | null = null;
    for (const [seed, offsetMs, inverted] of [
      [1, 0, false],
      [2, 700, true],
      [3, 1900, true],
    ] as const) {
      const made = await performed(take, seed, offsetMs, inverted);
      const { comparison, align } = await lineUp(
        inMemory(take),
        inMemory(made.samples),
        rateHz,
        100,
      );
      const whole = correlated(take, made.samples);
      left ??= comparison.alien;
      offset = max(offset, abs(inMs(comparison.offset - (median(made.late) ?? 0))));
      if ((comparison.polarity === 'inverted') !== inverted) turned++;
      sure += comparison.onsets.filter((onset) => onset.sure).length;
      count += comparison.onsets.length;
      for (const [n, at] of made.onsets.entries()) {
        const there = at + made.late[n];
        only.push(abs(inMs(there - whole - at)));
        apart.push(abs(inMs((align.path ? placeOnPath(align.path, there) : there) - at)));
      }
    }
    if (left !== null) {
      row(`lining up ${what}`, `left alone: ${left}`);
      continue;
    }
    const share = (values: number[], part: number) =>
      values.sort((a, b) => a - b)[floor(part * (values.length - 1))].toFixed(1);
    row(
      `lining up ${what}`,
      `${share(apart, 0.5)} ms, 90 % within ${share(apart, 0.9)} (marks 3, 8; by one correlation ${share(only, 0.5)}, ${share(only, 0.9)}); ` +
        `offset ${offset.toFixed(1)} ms off, polarity wrong ${turned} of 3, ${round((100 * sure) / count)} % sure`,
    );
  }
}
