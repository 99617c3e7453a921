import { beforeAll, describe, expect, test } from '@jest/globals';
import { bells, drum, plucked, reeds, type Instrument } from '../../performing/instruments.ts';
import { demoTape, score } from '../../demo/score.ts';
import type { Note } from '../../performing/note.ts';
import { makingLoader } from '../../derived/making.ts';
import { arrangedSource } from '../../derived/take-source.ts';
import { measureStereo } from '../../measurement/report.ts';
import { noise, rms } from '../../measurement/signals.fixture.ts';
import { seededRandom } from '../../signal/random.ts';
import { hannWindow, RealFft } from '../../signal/spectrum.ts';
import { blockFrames, framesReader } from '../../sources/blocks.ts';
import type { Align } from '../take.ts';
import { fluxOf, onsetsOf } from './flux.ts';
import { alignFor, compareTakes, lineUp, median, type LinedUp } from './line-up.ts';
import { placeOnPath } from './path.ts';
import { inMemory, performed, type Performance } from './performed.fixture.ts';

const rate = 48_000;
const { abs, floor, min, PI, sin, sqrt } = Math;
const inMs = (frames: number) => (frames / rate) * 1000;
const share = (values: readonly number[], part: number) =>
  [...values].sort((a, b) => a - b)[floor(part * (values.length - 1))];

/** The first seconds of a line of the demo song. */
const line = (play: Instrument, notes: readonly Note[], seed: number, seconds: number) =>
  Float32Array.from(
    play(
      notes.filter(({ startSeconds }) => startSeconds < seconds),
      seed,
      demoTape,
    ).subarray(0, seconds * rate),
  );

async function onsetsIn(samples: Float32Array): Promise<number[]> {
  const flux = await fluxOf(inMemory(samples).read, samples.length, rate);
  return onsetsOf(flux).map((hop) => hop * flux.hopFrames);
}

async function put(samples: Float32Array, align: Omit<Align, 'to'>): Promise<Float32Array> {
  const raw = { key: 'raw:0', frames: samples.length };
  const source = arrangedSource(raw, { clips: null, align: { to: 't1', ...align } }, rate);
  const load = makingLoader((_, index) =>
    Promise.resolve(samples.subarray(index * blockFrames, (index + 1) * blockFrames)),
  );
  return framesReader(source, load)(0, source.frames);
}

/** ‖|A| − |B|‖ ÷ ‖|A|‖ of spectrograms: the usual measure of how far one is from the other. */
function convergence(reference: Float32Array, other: Float32Array): number {
  const size = 2048;
  const transform = new RealFft(size);
  const window = hannWindow(size);
  const windowed = new Float64Array(size);
  const spectra = [transform.createSpectrum(), transform.createSpectrum()];
  let [apart, whole] = [0, 0];
  for (let at = 0; at + size <= min(reference.length, other.length); at += size / 4) {
    for (const [n, samples] of [reference, other].entries()) {
      for (let k = 0; k < size; k++) windowed[k] = samples[at + k] * window[k];
      transform.forward(windowed, spectra[n]);
    }
    const [one, two] = spectra;
    for (let k = 0; k < size; k += 2) {
      const a = sqrt(one[k] * one[k] + one[k + 1] * one[k + 1]);
      const b = sqrt(two[k] * two[k] + two[k + 1] * two[k + 1]);
      apart += (a - b) * (a - b);
      whole += a * a;
    }
  }
  return sqrt(apart / whole);
}

/** Low strings that begin softly: each note is nearly like itself a period on, of 13 to 18 ms. */
const low: Instrument = (_, seed, { rateHz }) => {
  const random = seededRandom(seed);
  const samples = new Float64Array(12 * rateHz);
  for (let n = 0; n < 20; n++) {
    const hz = 55 * 2 ** (floor(6 * random()) / 12);
    const begin = floor((0.1 + 0.58 * n + 0.1 * random()) * rateHz);
    for (let at = 0; at < 0.5 * rateHz && begin + at < samples.length; at++) {
      const s = at / rateHz;
      const level = 0.3 * min(1, s / 0.03) * min(1, (0.5 - s) / 0.1);
      for (let k = 1; k <= 6; k++)
        samples[begin + at] +=
          (level / k) *
          10 ** (-0.4 * k * s) *
          sin(2 * PI * k * hz * (1 + 2e-4 * k * k) * s + k * n);
    }
  }
  return samples;
};

const kinds = { plucked, struck: drum, bells, low } as const;
const lines: Record<string, Float32Array> = {};
const onsets: Record<string, readonly number[]> = {};
beforeAll(async () => {
  for (const [name, play] of Object.entries(kinds)) {
    const notes = { plucked: score.plucked, struck: score.drum, bells: score.bells }[name];
    lines[name] = line(play, notes ?? [], 5, 12);
    onsets[name] = await onsetsIn(lines[name]);
  }
});

const changes: readonly Performance[] = [
  { jitterMs: 18, offsetMs: 0, levelDb: -4, trebleDb: 3, noiseDb: -45 },
  { jitterMs: 18, offsetMs: 1900, inverted: true, levelDb: 3, trebleDb: -4, noiseDb: -50 },
  { jitterMs: 18, offsetMs: -350, inverted: true, noiseDb: -40 },
];

describe.each(Object.keys(kinds))('a %s take whose notes were moved by chance', (kind) => {
  test.each(changes)('$offsetMs ms off', async (how) => {
    const take = performed(lines[kind], onsets[kind], rate, 11, how);
    const { comparison, align } = await lineUp(
      inMemory(lines[kind]),
      inMemory(take.samples),
      rate,
      100,
    );
    expect(comparison.alien).toBeNull();
    expect(comparison.polarity).toBe(how.inverted ? 'inverted' : 'normal');
    expect(align.polarity).toBe(comparison.polarity);
    // The middle onset is what the whole is late by.
    expect(abs(inMs(comparison.offset - (median(take.late) ?? 0)))).toBeLessThan(1);
    const apart: number[] = [];
    for (const [n, at] of onsets[kind].entries()) {
      const there = at + take.late[n];
      // What lay before the file's beginning is not in it.
      if (there > 0 && align.path) apart.push(abs(inMs(placeOnPath(align.path, there) - at)));
    }
    expect(median(apart)).toBeLessThanOrEqual(3);
    expect(share(apart, 0.9)).toBeLessThanOrEqual(8);
  });

  test('is not heard to be spliced: as the recording itself, which it was made of', async () => {
    const take = performed(lines[kind], onsets[kind], rate, 12, { jitterMs: 18, offsetMs: 40 });
    const { align } = await lineUp(inMemory(lines[kind]), inMemory(take.samples), rate, 100);
    const lined = await put(take.samples, align);
    expect(convergence(lines[kind], lined)).toBeLessThanOrEqual(0.08);
    expect(convergence(lines[kind], take.samples)).toBeGreaterThan(0.1);
  });
});

/** The same notes by another player: each chord a little early or late, louder or softer, out of tune. */
function again(notes: readonly Note[], seed: number): { notes: Note[]; late: Map<number, number> } {
  const random = seededRandom(seed);
  const late = new Map<number, number>();
  const played = notes.map((note) => {
    const known = late.get(note.startSeconds) ?? 0.036 * random() - 0.018;
    late.set(note.startSeconds, known);
    return {
      ...note,
      startSeconds: note.startSeconds + known + 0.05,
      strength: note.strength * (0.8 + 0.4 * random()),
      hz: note.hz * (1 + 0.004 * (random() - 0.5)),
    };
  });
  return { notes: played, late };
}

describe.each([
  ['plucked', plucked, score.plucked],
  ['struck', drum, score.drum],
  ['bells', bells, score.bells],
  ['chords on reeds', reeds, score.reeds],
] as const)('two performances of %s', (_, play, notes) => {
  let reference: Float32Array;
  let take: Float32Array;
  let late: Map<number, number>;
  let lined: LinedUp;
  beforeAll(async () => {
    const other = again(notes, 3);
    late = other.late;
    reference = line(play, notes, 5, 24);
    take = line(play, other.notes, 77, 24);
    lined = await lineUp(inMemory(reference), inMemory(take), rate, 70);
  });

  test('are found note for note', () => {
    const apart: number[] = [];
    for (const { at, late: found, sure } of lined.comparison.onsets) {
      const begins = [...late.keys()].find((start) => abs(start - at / rate) < 0.05);
      if (begins === undefined || !sure) continue;
      apart.push(abs(inMs(found) - 1000 * ((late.get(begins) ?? 0) + 0.05)));
    }
    expect(apart.length).toBeGreaterThan(10);
    expect(median(apart)).toBeLessThanOrEqual(3);
    expect(share(apart, 0.9)).toBeLessThanOrEqual(8);
    expect(lined.comparison.polarity).toBe('normal');
  });

  test('are as unlike as before when they are lined up, though nearer in time', async () => {
    const moved = await put(take, {
      tightnessPercent: 70,
      polarity: 'normal',
      path: { at: [0], shift: [lined.comparison.offset], alike: [1] },
      anchors: [],
    });
    const there = await put(take, lined.align);
    const likeness = (other: Float32Array) => {
      const frames = min(reference.length, other.length);
      const { report } = measureStereo(
        reference.subarray(0, frames),
        other.subarray(0, frames),
        rate,
      );
      return abs(report.likeness?.value ?? 0);
    };
    // Struck sounds of one drum are alike whoever plays: nearer in time they are more so.
    if (play !== drum) expect(likeness(there)).toBeLessThanOrEqual(likeness(moved) + 0.05);
  });
});

test('a take that is lined up with itself is itself, to the bit', async () => {
  const { comparison, align } = await lineUp(
    inMemory(lines.plucked),
    inMemory(lines.plucked),
    rate,
    100,
  );
  expect(comparison).toMatchObject({ offset: 0, polarity: 'normal', alien: null });
  expect(align.path).toBeNull();
});

test('at 0 % a take stays as it was; the tighter, the nearer', async () => {
  const take = performed(lines.plucked, onsets.plucked, rate, 4, { jitterMs: 18, offsetMs: 120 });
  const comparison = await compareTakes(inMemory(lines.plucked), inMemory(take.samples), rate);
  const apart = async (tightness: number) => {
    const { path } = await alignFor(comparison, inMemory(take.samples), rate, tightness);
    if (!path) return null;
    return median(
      onsets.plucked.map((at, n) => abs(inMs(placeOnPath(path, at + take.late[n]) - at))),
    );
  };
  expect(await apart(0)).toBeNull();
  const [loose, half, tight] = [await apart(10), await apart(50), await apart(100)];
  expect(loose).toBeGreaterThan((half ?? 0) + 1);
  expect(half).toBeGreaterThan((tight ?? 0) + 1);
  // The offset is taken out at any tightness: what is left of 120 ms is the playing.
  expect(loose).toBeLessThan(18);
});

test('what is alien is left as it is, and said', async () => {
  const other = noise(20, rate, 4);
  const { comparison, align } = await lineUp(inMemory(lines.plucked), inMemory(other), rate, 70);
  expect(comparison.alien).toMatch(/too little in common/);
  expect(align).toEqual({
    tightnessPercent: 70,
    polarity: 'normal',
    path: null,
    anchors: [],
  });
  const silent = await lineUp(inMemory(new Float32Array(rate)), inMemory(other), rate, 70);
  expect(silent.comparison.alien).toMatch(/Too little begins/);
  expect(rms(other)).toBeGreaterThan(0);
});

test.each([8000, 44_100, 192_000])(
  'takes of any length at %d Hz are lined up or left alone, and nothing breaks',
  async (rateHz) => {
    const lengths = [0, 1, 100, rateHz];
    for (const one of lengths)
      for (const other of lengths) {
        const [mine, theirs] = [noise(1, rateHz, 2), noise(1, rateHz, 3)];
        const { comparison, align } = await lineUp(
          inMemory(mine.subarray(0, one)),
          inMemory(theirs.subarray(0, other)),
          rateHz,
          100,
        );
        expect(Number.isFinite(comparison.offset)).toBe(true);
        expect(align.path === null || comparison.alien === null).toBe(true);
      }
  },
);

test('lining up can be stopped, and tells how far it is', async () => {
  const told: number[] = [];
  const stopping = lineUp(inMemory(lines.plucked), inMemory(lines.struck), rate, 70, (done) => {
    told.push(done);
    if (told.length > 3) throw new Error('Stopped.');
  });
  await expect(stopping).rejects.toThrow('Stopped.');
  expect(told).toEqual([...told].sort((a, b) => a - b));
});
