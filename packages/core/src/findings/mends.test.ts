import { describe, expect, test } from '@jest/globals';
import { ampDescription } from '../amps/amp.ts';
import type { Image } from '../image/image.ts';
import { neutralStage, type Stage } from '../image/stage.ts';
import { joined, noise, rms } from '../measurement/signals.fixture.ts';
import { memoryPlan, memorySong, type MemorySong } from '../rendering/memory.fixture.ts';
import { apply } from '../song/commands.ts';
import { partFrames, type Part, type Song } from '../song/song.ts';
import type { SourceFacts } from '../sources/facts.ts';
import { newVoice, type Voice, type VoiceChanges } from '../voices/voice.ts';
import { findingCodes, type FindingCode } from './finding.ts';
import { evenedChains } from './chains.ts';
import { findMend, type EvenChains, isWidthKept, widthKeptDb } from './find-mend.ts';
import { gauges } from './gauges.ts';
import { keptWidth, mendsFor } from './mends.ts';
import { withMotion, type MovedOtherwise } from './motion-mends.ts';
import { curveDescription } from '../moves/curve.ts';
import { voiceTarget } from '../song/moves-of.ts';
import { findingsOfPart } from './part-findings.ts';
import { measurePart } from './measure-part.ts';

const { abs, max, min } = Math;
// The lowest rate at which all bands that count are there: three times as fast as the usual one.
const rate = 16_000;
const seconds = 2;
const bright = noise(seconds, rate, 21, 0.1);
const other = noise(seconds, rate, 22, 0.1);
/** With most of its power in the lows. */
const dull = (() => {
  const smooth = noise(seconds, rate, 23, 0.1);
  let state = 0;
  return smooth.map((value) => (state += 0.015 * (value * 6 - state)));
})();
const long = joined(bright, noise(7, rate, 24, 0.1));
const other3 = joined(other, noise(7, rate, 25, 0.1));
/** Loud and soft in turn. */
const moving = joined(
  ...Array.from({ length: 4 }, (_, n) =>
    noise(0.5, rate, 30 + n, 1).map((value, at) => value * 10 ** (-at / 9000)),
  ),
);

/** Something of its own above, and the same lows. */
const mixed = (own: Float32Array, lows: number) => {
  const level = (0.65 * lows * rms(own)) / rms(dull);
  return own.map((value, n) => value + level * dull[n]);
};

/** Mains and its multiples, whatever is played. */
const hummed = (take: Float32Array, hz: number) =>
  take.map((value, n) => {
    const turn = (2 * Math.PI * hz * n) / rate;
    return value + 0.012 * (Math.sin(turn) + 0.7 * Math.sin(2 * turn) + 0.5 * Math.sin(3 * turn));
  });
/** A line that plays the lowest G, 49 Hz, and what lies round it. */
const tune = (take: Float32Array) => {
  const notes = [49, 55, 49, 61.74, 49, 65.41, 49, 55, 49];
  let turn = 0;
  return take.map((value, n) => {
    turn += (2 * Math.PI * notes[Math.min(8, Math.floor(n / rate))]) / rate;
    return value + 0.02 * (Math.sin(turn) + 0.7 * Math.sin(2 * turn) + 0.5 * Math.sin(3 * turn));
  });
};

const left = (changes: VoiceChanges = {}): VoiceChanges => ({
  placement: { kind: 'pan', panPercent: -100 },
  ...changes,
});
const right = (changes: VoiceChanges = {}): VoiceChanges => ({
  placement: { kind: 'pan', panPercent: 100 },
  ...changes,
});
const late = (value: number) => ({ delay: { value, unit: 'ms' as const } });

function imageOf(voices: readonly VoiceChanges[], stage: Partial<Stage> = {}): Image {
  return {
    voices: voices.map((changes, n): Voice => newVoice(`v${n + 1}`, `voice ${n + 1}`, changes)),
    stage: { ...neutralStage, ...stage },
  };
}

interface Case {
  readonly takes?: readonly Float32Array[];
  readonly part?: Partial<Part>;
  readonly facts?: Partial<SourceFacts>;
  readonly image: Image;
  readonly moves?: readonly MovedOtherwise[];
}

/** A song of one part that has several takes. */
function songOf(given: Case): MemorySong {
  const { takes = [bright, other], part = {}, facts = {}, image, moves = [] } = given;
  const { song, load } = memorySong(takes, rate);
  const recordings = Object.fromEntries(
    Object.entries(song.recordings).map(([hash, recording]) => [
      hash,
      {
        ...recording,
        facts: { struck: false, driven: false, clippedRuns: 0, peak: 1, ...facts } as SourceFacts,
      },
    ]),
  );
  const all = song.partOrder
    .flatMap((id) => song.parts[id].takes)
    .map((take, n) => ({ ...take, id: `t${n + 1}` }));
  const whole: Part = { ...song.parts.p0, takes: all, image, ...part };
  const alone = { ...song, recordings, parts: { p0: whole }, partOrder: ['p0'] };
  return { song: withMotion(alone, moves), load };
}

function measurer({ load }: MemorySong) {
  return async (song: Song, frames = partFrames(song, song.parts.p0)) => {
    const plan = await memoryPlan({ song, load });
    return measurePart(plan, 'p0', load, 0, frames);
  };
}

async function codesOf(memory: MemorySong): Promise<FindingCode[]> {
  const figures = await measurer(memory)(memory.song);
  return findingsOfPart(figures, memory.song, memory.song.parts.p0).map(({ code }) => code);
}

const chain = (changes: object) => ampDescription.parse(changes);

const pair = imageOf([left(), right({ take: 2 })]);
const doubles = imageOf([
  left({ tuner: { cents: 6 }, ...late(9) }),
  right({ tuner: { cents: -6 }, ...late(15) }),
]);

const tremolo = (voiceId: string, phasePercent: number): MovedOtherwise => ({
  target: voiceTarget('p0', voiceId, 'levelDb'),
  curve: curveDescription.parse({
    kind: 'cycle',
    rate: { value: 3 },
    depthDb: 14,
    phasePercent,
  }),
});

/** For every finding the fault planted, and its clean twin. */
const cases: Readonly<Record<Exclude<FindingCode, 'nothing-wrong'>, readonly [Case, Case]>> = {
  silent: [
    { takes: [new Float32Array(seconds * rate), other], image: imageOf([{}]) },
    { image: pair },
  ],
  'one-sided': [
    { image: imageOf([left()]) },
    { image: imageOf([left(), right({ take: 2, levelDb: -20 })]) },
  ],
  'drops-out': [
    {
      takes: [bright, other.map((value, n) => (n > 0.6 * rate && n < 1.1 * rate ? 0 : value))],
      image: pair,
    },
    {
      // Both rest.
      takes: [bright, other].map((take) =>
        take.map((value, n) => (n > 0.6 * rate && n < 1.1 * rate ? 0 : value)),
      ),
      image: pair,
    },
  ],
  dc: [
    { takes: [bright.map((value) => value + 0.02), other], image: pair },
    { takes: [bright.map((value) => value + 0.0008), other], image: pair },
  ],
  hum: [
    { takes: [hummed(long, 50), other3], image: pair },
    // Notes that lie there, one after another.
    { takes: [tune(long), other3], image: pair },
  ],
  clipped: [{ facts: { clippedRuns: 4 }, image: pair }, { image: pair }],
  'over-peak': [
    { takes: [bright, other].map((take) => take.map((value) => value * 8)), image: pair },
    { image: pair },
  ],
  'still-mono': [{ image: imageOf([left(), right()]) }, { image: pair }],
  'only-a-copy': [{ image: imageOf([left(), right(late(14))]) }, { image: doubles }],
  cancels: [{ image: imageOf([left(), right({ polarity: 'inverted' })]) }, { image: pair }],
  'cancels-in-places': [
    {
      // The second take turns into the first one's opposite for 3 s.
      takes: [long, other3.map((value, n) => (n < 4 * rate || n >= 7 * rate ? value : -long[n]))],
      image: pair,
    },
    { takes: [long, other3], image: pair },
  ],
  drops: [
    {
      image: imageOf([{ levelDb: -9 }, { placement: { kind: 'mirror' }, ...late(14) }]),
    },
    { image: imageOf([{}, { placement: { kind: 'mirror' }, levelDb: -3, ...late(14) }]) },
  ],
  hollow: [{ image: imageOf([left(), right(late(3))]) }, { image: pair }],
  leads: [{ image: imageOf([left(), right(late(12))]) }, { image: pair }],
  leans: [{ image: imageOf([left(), right({ take: 2, levelDb: -5 })]) }, { image: pair }],
  echo: [
    { image: imageOf([left(), right({ take: 2, ...late(70) })]) },
    { image: imageOf([left(), right({ take: 2, ...late(20) })]) },
  ],
  'low-wide': [
    { takes: [dull, dull], image: imageOf([left(), right(late(9))]) },
    {
      takes: [dull, dull],
      image: imageOf([left(), right(late(9))], { lowMono: { hz: 200, kind: 'difference' } }),
    },
  ],
  'low-lost': [
    { takes: [mixed(bright, 1), mixed(other, -1)], image: pair },
    { takes: [mixed(bright, 1), mixed(other, 1)], image: pair },
  ],
  'low-soft': [
    {
      takes: [dull, dull],
      image: imageOf([
        left({ tone: { lowCutHz: 200 } }),
        right({ tone: { lowCutHz: 200 }, ...late(7) }),
      ]),
    },
    { takes: [dull, dull], image: imageOf([left(), right(late(7))]) },
  ],
  chorusing: [
    { image: imageOf([left(), right({ take: 2 }), left({ tuner: { cents: 18 }, ...late(9) })]) },
    { image: imageOf([left(), right({ tuner: { cents: 18 }, ...late(9) })]) },
  ],
  'too-wide': [
    { image: imageOf([left(), right({ take: 2 })], { widthPercent: 150 }) },
    { image: pair },
  ],
  'spread-too-strong': [
    { image: imageOf([{ placement: { kind: 'spread', degrees: 110 } }]) },
    { image: imageOf([{ placement: { kind: 'spread', degrees: 60 } }]) },
  ],
  'level-flatters': [
    { image: imageOf([left({ levelDb: 4 }), right({ take: 2, levelDb: 4 })]) },
    { image: pair },
  ],
  'squash-differs': [
    {
      takes: [moving, moving],
      image: imageOf([
        left({ colour: { oddPercent: 100 }, levelDb: -12 }),
        right({ colour: { evenPercent: 100 }, levelDb: -12, ...late(11) }),
      ]),
    },
    { takes: [moving, moving], image: imageOf([left(), right(late(11))]) },
  ],
  'sides-uneven': [
    {
      takes: [moving],
      image: imageOf([
        left({ amp: chain({ driveDb: 2 }), levelDb: -6 }),
        right({ amp: chain({ driveDb: 36, shape: 'hard', levelDb: -18 }), levelDb: -6 }),
      ]),
    },
    {
      takes: [moving],
      image: imageOf([
        left({ amp: chain({ driveDb: 8 }), levelDb: -6 }),
        right({ amp: chain({ driveDb: 8, tone: { lowDb: 4 } }), levelDb: -6 }),
      ]),
    },
  ],
  'chains-apart': [
    {
      image: imageOf([
        left({ amp: chain({ cabinet: { kind: 'closed-one-cone' } }) }),
        right({ amp: chain({ cabinet: { kind: 'closed-two-cone' } }), ...late(0.7) }),
      ]),
    },
    {
      // So far apart they were set on purpose.
      image: imageOf([
        left({ amp: chain({ cabinet: { kind: 'closed-one-cone' } }) }),
        right({ amp: chain({ cabinet: { kind: 'closed-two-cone' } }), ...late(12) }),
      ]),
    },
  ],
  driven: [
    { facts: { driven: true }, image: imageOf([left(), right(late(12))]) },
    {
      facts: { driven: true },
      image: imageOf([{}, { placement: { kind: 'mirror' }, ...late(12) }]),
    },
  ],
  'motion-dies': [
    { image: pair, moves: [tremolo('v1', 0), tremolo('v2', 50)] },
    { image: pair, moves: [tremolo('v1', 0), tremolo('v2', 10)] },
  ],
};

/** What the sources themselves do, no image mends. */
const beyondMending: readonly FindingCode[] = [
  'silent',
  'one-sided',
  'drops-out',
  'clipped',
  'dc',
  'hum',
];

describe('findings', () => {
  test.each(Object.entries(cases))(
    '%s is found, and not in its clean twin',
    async (name, pairs) => {
      const code = name as FindingCode;
      const [fault, clean] = pairs;
      expect(await codesOf(songOf(fault))).toContain(code);
      expect(await codesOf(songOf(clean))).not.toContain(code);
    },
  );

  test('there is a case for every finding but that nothing is wrong, which a double-tracked pair has', async () => {
    expect([...Object.keys(cases), 'nothing-wrong'].sort()).toEqual([...findingCodes].sort());
    expect(await codesOf(songOf({ image: pair }))).toEqual(['nothing-wrong']);
    const { report } = await measurer(songOf({ image: pair }))(songOf({ image: pair }).song);
    expect(report.fold.verdict).toBe('holds');
  });
});

describe('mends', () => {
  const mendable = findingCodes.filter(
    (code) => gauges[code] !== null && !beyondMending.includes(code),
  );

  test.each(mendable)('%s: rendered again and measured, it is as the mend says', async (code) => {
    const memory = songOf(cases[code as keyof typeof cases][0]);
    const measure = measurer(memory);
    const { song: begun, load } = memory;
    const frames = partFrames(begun, begun.parts.p0);
    const even: EvenChains = (voices) =>
      evenedChains(
        { song: begun, partId: 'p0', voices, from: 0, to: frames },
        (song) => memoryPlan({ song, load }),
        load,
      );
    const mend = await findMend(code, begun, 'p0', measure, undefined, null, even);
    if (!mend) throw new Error('No mend was found.');
    const part = { ...memory.song.parts.p0, image: mend.image };
    const song = withMotion({ ...memory.song, parts: { p0: part } }, mend.moves);
    const figures = await measure(song);
    const gauge = gauges[code];
    expect(gauge?.read(figures, song, part)).toBeCloseTo(mend.after, 6);
    expect(gauge?.badness(mend.after)).toBeLessThan(gauge?.badness(mend.before) ?? 0);
    const width = figures.report.sideToMidDb ?? 0;
    expect(width).toBeCloseTo(mend.widthAfterDb ?? 0, 6);
    if (keptWidth(code) === 'all')
      expect(abs(width - (mend.widthBeforeDb ?? 0))).toBeLessThanOrEqual(widthKeptDb);
    const { report } = await measure(memory.song);
    expect(isWidthKept(code, report, figures.report)).toBe(true);
    const codes = findingsOfPart(figures, song, part).map((finding) => finding.code);
    expect(codes.includes(code)).toBe(!mend.gone);
    expect(mend.words).not.toBe('as it is');
  });

  test('what the take itself does is not mended by its image', async () => {
    for (const code of ['clipped', 'silent', 'drops-out', 'dc', 'hum'] as const) {
      const memory = songOf(cases[code][0]);
      expect(await findMend(code, memory.song, 'p0', measurer(memory))).toBeNull();
    }
  });

  test('what helps here alone and harms elsewhere is said, or another is taken', async () => {
    const memory = songOf(cases.chorusing[0]);
    const measure = measurer(memory);
    const here = await findMend('chorusing', memory.song, 'p0', measure);
    if (!here) throw new Error('No mend was found.');
    expect(here.onlyHere).toBe(false);
    // On a stretch that is alike nothing changes.
    const alike = await findMend('chorusing', memory.song, 'p0', measure, undefined, measure);
    expect(alike).toEqual(here);
    const bad = await measurer(songOf(cases.cancels[0]))(songOf(cases.cancels[0]).song);
    const good = await measure({
      ...memory.song,
      parts: { p0: { ...memory.song.parts.p0, image: pair } },
    });
    // The best one breaks the fold there.
    const best = JSON.stringify(here.image);
    const other = await findMend('chorusing', memory.song, 'p0', measure, undefined, (changed) =>
      Promise.resolve(JSON.stringify(changed.parts.p0.image) === best ? bad : good),
    );
    expect(other && JSON.stringify(other.image)).not.toBe(best);
    expect(other?.onlyHere).toBe(false);
    // All of them do.
    const none = await findMend('chorusing', memory.song, 'p0', measure, undefined, (changed) =>
      Promise.resolve(changed === memory.song ? good : bad),
    );
    expect(none).toEqual({ ...here, onlyHere: true });
  });

  test('looking for one can be stopped', async () => {
    const memory = songOf(cases.chorusing[0]);
    const shares: number[] = [];
    const search = findMend('chorusing', memory.song, 'p0', measurer(memory), (share) => {
      shares.push(share);
      if (shares.length === 1) throw new Error('stopped');
    });
    await expect(search).rejects.toThrow('stopped');
    expect(max(...shares)).toBeLessThan(1);
    expect(min(...shares)).toBeGreaterThan(0);
  });
});

test('a place in a finding is told from the beginning of the song', async () => {
  const memory = songOf(cases['cancels-in-places'][0]);
  const figures = await measurer(memory)(memory.song);
  const found = findingsOfPart(figures, memory.song, memory.song.parts.p0, 60);
  const place = found.find(({ code }) => code === 'cancels-in-places')?.place;
  expect(place?.fromSeconds).toBeGreaterThanOrEqual(60);
});

describe('what is offered is what the song takes', () => {
  const loud = (image: Image): Image => ({
    ...image,
    voices: image.voices.map((voice) => ({ ...voice, levelDb: 12 })),
  });
  const many = imageOf(
    Array.from({ length: 16 }, (_, n) => (n % 2 ? right(late(n)) : left({ tuner: { cents: n } }))),
  );
  test.each<[string, Image]>([
    ['at its loudest', loud(doubles)],
    ['with as many voices as there may be', many],
    [
      'one side at its loudest',
      { ...loud(pair), stage: { ...neutralStage, trimDb: 12, balancePercent: 100 } },
    ],
  ])('every mend of an image %s', async (_, image) => {
    const memory = songOf({ image });
    const part = memory.song.parts.p0;
    const figures = await measurer(memory)(memory.song, rate);
    for (const code of findingCodes)
      for (const mended of mendsFor(code, memory.song, part, figures)) {
        const done = apply(memory.song, {
          id: 'c',
          name: 'mend',
          role: 'do',
          edits: [{ kind: 'set-image', partId: 'p0', image: mended }],
        });
        expect(done.ok ? '' : `${code}: ${done.error.sentence}`).toBe('');
      }
  });
});
