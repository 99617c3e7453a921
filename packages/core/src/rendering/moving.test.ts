import { describe, expect, test } from '@jest/globals';
import { neutralStage } from '../image/stage.ts';
import { noise, sine } from '../measurement/signals.fixture.ts';
import type { Curve } from '../moves/curve.ts';
import { thrownAs, withThrow } from '../moves/throws.ts';
import { movingParameters, type MovingParameter } from '../parameters/tables.ts';
import { RealFft } from '../signal/spectrum.ts';
import { feedOf } from '../rooms/feeds.ts';
import { apply } from '../song/commands.ts';
import {
  feedTarget,
  levelTarget,
  partTarget,
  voiceTarget,
  type MoveTarget,
} from '../song/moves-of.ts';
import type { Feed } from '../song/song.ts';
import { newVoice } from '../voices/voice.ts';
import { panGains, panLaws } from '../voices/pan-law.ts';
import { compile } from './compile.ts';
import {
  differenceDb,
  memoryPlayer,
  memorySong,
  renderSides,
  runPlayer,
  sharpestBend,
} from './memory.fixture.ts';
import {
  alone,
  cycle,
  driven,
  moved,
  pair,
  pan,
  points,
  rate,
  twoTakes,
} from './moving.fixture.ts';
import { memoryOf, nodesUnder, roots } from './plan.ts';

const { abs, cos, log10, max, min, PI, sin } = Math;

describe('a place that moves', () => {
  test.each(panLaws.map((law) => [law]))(
    'goes from side to side by the law of %s dB',
    async (law) => {
      const memory = memorySong([noise(2, rate, 3)], rate, alone);
      const song = moved({ ...memory.song, panLaw: law }, [
        voiceTarget('p0', 'v1', 'panPercent'),
        points([0, -100], [1, 100]),
      ]);
      const across = await renderSides(memory, song, roots.part('p0'), rate);
      const raw = await renderSides(
        memory,
        { ...memory.song, panLaw: '0' },
        roots.part('p0'),
        rate,
      );
      for (let n = 64; n < rate; n += 331) {
        const { left, right } = panGains(-100 + (200 * n) / rate, law);
        expect(across.left[n]).toBeCloseTo(left * raw.left[n], 5);
        expect(across.right[n]).toBeCloseTo(right * raw.left[n], 5);
        // Common practice: equal power under the law of −3 dB.
        if (law === '-3' && abs(raw.left[n]) > 0.01)
          expect(
            abs(10 * log10((across.left[n] ** 2 + across.right[n] ** 2) / raw.left[n] ** 2)),
          ).toBeLessThan(0.01);
      }
    },
  );

  test('swings as fast as any cycle may, at equal power within 0.1 dB', async () => {
    const memory = memorySong([noise(2, rate, 3)], rate, alone);
    const song = moved(memory.song, [
      voiceTarget('p0', 'v1', 'panPercent'),
      cycle({ rate: { value: 64 }, depthPercent: 100 }),
    ]);
    const still = await renderSides(
      memory,
      { ...memory.song, panLaw: '0' },
      roots.part('p0'),
      rate,
    );
    const swung = await renderSides(memory, song, roots.part('p0'), rate);
    let widest = 0;
    for (let n = 0; n < rate; n++) {
      if (abs(still.left[n]) < 0.01) continue;
      const db = 10 * log10((swung.left[n] ** 2 + swung.right[n] ** 2) / still.left[n] ** 2);
      widest = max(widest, abs(db));
    }
    expect(widest).toBeLessThan(0.1);
  });

  test('with the low end in the middle and the difference tilted, is where it would stand', async () => {
    const stage = {
      ...neutralStage,
      tiltDb: 4,
      lowMono: { hz: 150, kind: 'difference' as const },
    };
    const image = { voices: [newVoice('v1', 'middle')], stage };
    const there = { voices: [newVoice('v1', 'there', pan(60))], stage };
    const sound = noise(1, rate, 3);
    const song = moved(memorySong([sound], rate, image).song, [
      voiceTarget('p0', 'v1', 'panPercent'),
      points([0, 60]),
    ]);
    const memory = memorySong([sound], rate, there);
    const [held, stands] = [
      await renderSides(memory, song, roots.part('p0'), rate),
      await renderSides(memory, memory.song, roots.part('p0'), rate),
    ];
    expect(differenceDb(held.left, stands.left)).toBeLessThan(-120);
    expect(differenceDb(held.right, stands.right)).toBeLessThan(-120);
  });
});

test('a pair whose width goes below nothing changes places, and the fold knows nothing of it', async () => {
  const memory = twoTakes(noise(2, rate, 3), noise(2, rate, 4));
  const width = partTarget('p0', 'widthPercent');
  const song = moved(memory.song, [width, points([0.5, 0], [1.5, -200])]);
  const [still, over] = [
    await renderSides(memory, memory.song, roots.part('p0'), 2 * rate),
    await renderSides(memory, song, roots.part('p0'), 2 * rate),
  ];
  const from = 1.6 * rate;
  expect(differenceDb(over.left.subarray(from), still.right.subarray(from))).toBeLessThan(-120);
  expect(differenceDb(over.right.subarray(from), still.left.subarray(from))).toBeLessThan(-120);
  expect(
    differenceDb(over.left.subarray(0, 0.49 * rate), still.left.subarray(0, 0.49 * rate)),
  ).toBeLessThan(-120);
  const fold = ({ left, right }: typeof still) => left.map((l, n) => l + right[n]);
  expect(differenceDb(fold(over), fold(still))).toBeLessThan(-115);
});

test('an image in the place of plain: one or the other, and equal power on the way', async () => {
  const memory = memorySong([noise(3, rate, 3)], rate, {
    voices: [newVoice('v1', 'late', { ...pan(-100), delay: { value: 20, unit: 'ms' } })],
    stage: neutralStage,
  });
  const { parameter } = thrownAs('image', 100);
  const curve = withThrow(null, { fromS: 1, toS: 2, fadeS: 0.2 }, thrownAs('image', 100));
  const song = moved(memory.song, [partTarget('p0', parameter), curve]);
  const [thrown, image, plain] = [
    await renderSides(memory, song, roots.part('p0'), 3 * rate),
    await renderSides(memory, memory.song, roots.part('p0'), 3 * rate),
    await renderSides(memory, memory.song, roots.plain('p0'), 3 * rate),
  ];
  const stretch = (side: Float32Array, from: number, to: number) =>
    side.subarray(from * rate, to * rate);
  expect(
    differenceDb(stretch(thrown.left, 1.01, 1.99), stretch(image.left, 1.01, 1.99)),
  ).toBeLessThan(-120);
  expect(differenceDb(stretch(thrown.right, 0, 0.79), stretch(plain.right, 0, 0.79))).toBeLessThan(
    -120,
  );
  expect(differenceDb(stretch(thrown.right, 2.21, 3), stretch(plain.right, 2.21, 3))).toBeLessThan(
    -120,
  );
  // On the right there is plain alone: its gain is the cosine where the image's is the sine.
  for (let n = 0.81 * rate; n < 0.99 * rate; n += 97) {
    const way = (n / rate - 0.8) / 0.2;
    const open = sin((PI / 2) * way * way * (3 - 2 * way));
    expect(thrown.right[n] ** 2).toBeCloseTo((1 - open ** 2) * plain.right[n] ** 2, 4);
  }
});

test('where plain stands in the place of the image, its flanks feed no room, and all of it goes in as it is', async () => {
  const memory = memorySong([noise(2, rate, 3)], rate, {
    voices: [newVoice('v1', 'middle'), newVoice('v2', 'left', pan(-100))],
    stage: neutralStage,
  });
  const shut: Curve = points([0, -100]);
  const fedBy = async (feed: Partial<Feed>, moves: Parameters<typeof moved>[1][]) => {
    const song = moved(memory.song, ...moves);
    const rooms = song.rooms.map((room) => ({ ...room, feeds: [feedOf('p0', feed)] }));
    return (await renderSides(memory, { ...song, rooms }, roots.room('r'), rate)).left;
  };
  const plain: Parameters<typeof moved>[1] = [partTarget('p0', 'imagePercent'), shut];
  const loudest = (side: Float32Array) => side.reduce((most, value) => max(most, abs(value)), 0);
  expect(loudest(await fedBy({ from: 'flanks' }, []))).toBeGreaterThan(0.01);
  expect(loudest(await fedBy({ from: 'flanks' }, [plain]))).toBe(0);
  expect(loudest(await fedBy({ from: 'voice', voiceId: 'v2' }, [plain]))).toBe(0);
  const [behind, before] = [await fedBy({}, [plain]), await fedBy({ beforeLevel: true }, [plain])];
  expect(loudest(behind)).toBeGreaterThan(0.01);
  expect(differenceDb(before, behind)).toBeLessThan(-120);
});

test('tremolos of a pair against each other: 12 dB a side, nothing in the fold but what their closed form says', async () => {
  const memory = twoTakes(sine(500, -12, 4, rate), sine(500, -12, 4, rate));
  const tremolo = { rate: { value: 2 }, depthDb: 12 };
  const song = moved(
    memory.song,
    [voiceTarget('p0', 'left', 'levelDb'), cycle(tremolo)],
    [voiceTarget('p0', 'right', 'levelDb'), cycle({ ...tremolo, phasePercent: 50 })],
  );
  const { left, right } = await renderSides(memory, song, roots.part('p0'), 3 * rate);
  const still = await renderSides(memory, memory.song, roots.part('p0'), 3 * rate);
  for (let n = 0; n < 3 * rate; n += 97) {
    if (abs(still.left[n]) < 0.01) continue;
    const swing = cos(2 * PI * 2 * (n / rate));
    const [ofLeft, ofRight] = [-6 * (1 - swing), -6 * (1 + swing)].map((by) => 10 ** (by / 20));
    expect(left[n] / still.left[n]).toBeCloseTo(ofLeft, 2);
    expect(right[n] / still.right[n]).toBeCloseTo(ofRight, 2);
    expect((left[n] + right[n]) / (still.left[n] + still.right[n])).toBeCloseTo(
      (ofLeft + ofRight) / 2,
      2,
    );
  }
});

/** Power by the bins of a transform, behind a window whose sides lie 92 dB down (Harris, Proc. IEEE 66, 1978). */
function powerSpectrum(samples: Float32Array): Float64Array {
  const fft = new RealFft(samples.length);
  const spectrum = fft.createSpectrum();
  const terms = [0.35875, -0.48829, 0.14128, -0.01168];
  const windowed = samples.map((value, n) => {
    const turn = (2 * PI * n) / samples.length;
    return value * terms.reduce((sum, term, k) => sum + term * cos(k * turn), 0);
  });
  fft.forward(windowed, spectrum);
  return Float64Array.from(
    { length: samples.length / 2 },
    (_, k) => spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2,
  );
}

describe('a high cut that moves', () => {
  const bright = (hz: number | null) => ({
    voices: [newVoice('v1', 'middle', { tone: { highCutHz: hz } })],
    stage: neutralStage,
  });
  const cut = voiceTarget('p0', 'v1', 'highCutOctaves');
  const peak = voiceTarget('p0', 'v1', 'peakDb');

  test('and stands is the voice’s own, wherever it stands', async () => {
    const sound = noise(1, rate, 9);
    const away = memorySong([sound], rate, bright(4000));
    const there = memorySong([sound], rate, bright(1000));
    const held = await renderSides(
      away,
      moved(away.song, [cut, points([0, -2])]),
      roots.part('p0'),
      rate,
    );
    const stands = await renderSides(there, there.song, roots.part('p0'), rate);
    // Both are bilinear transforms of one Butterworth filter.
    expect(differenceDb(held.left, stands.left)).toBeLessThan(-110);
  });

  test('has the response of its closed form, peak and all, to 0.05 dB', async () => {
    const [hz, peakDb] = [1000, 12];
    const q = Math.SQRT1_2 * 10 ** (peakDb / 20);
    for (const at of [250, 1000, 2000]) {
      const tone = memorySong([sine(at, -12, 2, rate)], rate, bright(hz));
      const song = moved(tone.song, [peak, points([0, peakDb])]);
      const [made, raw] = [
        await renderSides(tone, song, roots.part('p0'), 2 * rate),
        await renderSides(
          tone,
          { ...tone.song, parts: { p0: { ...tone.song.parts.p0, image: bright(null) } } },
          roots.part('p0'),
          2 * rate,
        ),
      ];
      const rms = (side: Float32Array) =>
        Math.sqrt(side.subarray(rate).reduce((sum, value) => sum + value * value, 0));
      // The analogue one at the warped frequency.
      const w = Math.tan((PI * at) / rate) / Math.tan((PI * hz) / rate);
      const closed = -10 * log10((1 - w * w) ** 2 + (w / q) ** 2);
      expect(abs(20 * log10(rms(made.left) / rms(raw.left)) - closed)).toBeLessThan(0.05);
    }
  });

  test('sweeps with no zipper: of a sine of 1 kHz nothing lies above −70 dB a kHz away', async () => {
    const tone = memorySong([sine(1000, -6, 5, rate)], rate, bright(null));
    const song = moved(
      tone.song,
      [cut, points([0, -6], [2.5, 0], [5, -6])],
      [peak, points([0, 6])],
    );
    const { left } = await renderSides(tone, song, roots.part('p0'), 5 * rate);
    const frames = 2 ** 17;
    const bands = { own: 0, far: 0 };
    // A window whose sides lie far down (Blackman and Harris), and power by the bins of its transform.
    const spectrum = powerSpectrum(left.subarray(rate, rate + frames));
    for (const [bin, power] of spectrum.entries()) {
      const hz = (bin * rate) / frames;
      if (abs(hz - 1000) < 400) bands.own += power;
      else if (abs(hz - 1000) > 1000) bands.far += power;
    }
    expect(10 * log10(bands.far / bands.own)).toBeLessThan(-70);
  });
});

test('what a room feeds another one by is ridden: nothing goes in while it is closed, and the first one rings on', async () => {
  const memory = memorySong([noise(2, rate, 5)], rate, alone);
  const closed = points([0, -120], [1, -120], [1.01, 0]);
  const song = moved(memory.song, [feedTarget('s', 'r'), closed]);
  const [first, second] = [roots.room('r'), roots.room('s')];
  const still = await renderSides(memory, moved(memory.song), first, rate);
  expect((await renderSides(memory, song, first, rate)).left).toEqual(still.left);
  const { left } = await renderSides(memory, song, second, 2 * rate);
  const loudest = (side: Float32Array) => side.reduce((most, value) => max(most, abs(value)), 0);
  expect(loudest(left.subarray(0, rate))).toBeLessThan(2e-6);
  expect(loudest(left.subarray(1.2 * rate))).toBeGreaterThan(1e-3);
});

test('a feed and a return that are ridden: nothing goes in or comes back while they are closed', async () => {
  const memory = memorySong([noise(3, rate, 5)], rate, alone);
  const room = roots.room('r');
  const still = await renderSides(memory, moved(memory.song), room, 3 * rate);
  const closed = points([0, -120], [1, -120], [1.01, 0]);
  const fed = await renderSides(
    memory,
    moved(memory.song, [feedTarget('r', 'p0'), closed]),
    room,
    3 * rate,
  );
  const ridden = await renderSides(
    memory,
    moved(memory.song, [levelTarget('room', 'r'), closed]),
    room,
    3 * rate,
  );
  const loudest = (side: Float32Array) => side.reduce((most, value) => max(most, abs(value)), 0);
  for (const { left } of [fed, ridden]) expect(loudest(left.subarray(0, rate))).toBeLessThan(2e-6);
  const late = 2.5 * rate;
  expect(differenceDb(fed.left.subarray(late), still.left.subarray(late))).toBeLessThan(-100);
  expect(
    differenceDb(ridden.left.subarray(1.1 * rate), still.left.subarray(1.1 * rate)),
  ).toBeLessThan(-120);
});

const all: readonly (readonly [string, MoveTarget])[] = [
  ['a level', partTarget('p0', 'levelDb')],
  ['the flanks', partTarget('p0', 'flanksDb')],
  ['a width', partTarget('p0', 'widthPercent')],
  ['an image in the place of plain', partTarget('p0', 'imagePercent')],
  ["a group's level", levelTarget('group', 'g')],
  ["a voice's level", voiceTarget('p0', 'left', 'levelDb')],
  ["a voice's place", voiceTarget('p0', 'left', 'panPercent')],
  ["a voice's delay", voiceTarget('p0', 'left', 'delayMs')],
  ["a voice's high cut", voiceTarget('p0', 'left', 'highCutOctaves')],
  ["a voice's peak", voiceTarget('p0', 'left', 'peakDb')],
  ["a chain's drive", voiceTarget('p0', 'left', 'driveDb')],
  ["a room's return", levelTarget('room', 'r')],
  ['a feed', feedTarget('r', 'p0')],
  ['what a room feeds another one by', feedTarget('s', 'r')],
];

/** How far each is taken while it plays. */
const deeps: Partial<Record<MovingParameter, number>> = {
  levelDb: -18,
  flanksDb: -18,
  highCutOctaves: -5,
  peakDb: 12,
  delayMs: 12,
  driveDb: -12,
};

/** A drive moves where there is a chain. */
const imageFor = ({ parameter }: MoveTarget) => (parameter === 'driveDb' ? driven : pair);

describe.each(all)('%s', (_, target) => {
  const { min: least, max: most } = movingParameters[target.parameter];
  const farthest = points([0, 0], [0.3, least], [0.5, most], [0.501, least], [1, 0]);
  const fast = cycle({
    rate: { value: 64 },
    depthDb: 24,
    depthPercent: 200,
    depthOctaves: 8,
    depthMs: 100,
    shape: 'square',
  });

  test.each([
    ['points as far as they go', farthest],
    ['a square cycle as fast as it goes', fast],
  ])('plays in any block size as it exports: %s', async (__, curve) => {
    const memory = twoTakes(noise(2, rate, 6), noise(2, rate, 7), imageFor(target));
    const song = moved(memory.song, [target, curve]);
    const plan = compile(song, new Map());
    const whole = await renderSides(memory, song, roots.song, 60_000);
    const from = max(2400, min(50_000, memoryOf(nodesUnder(plan, roots.song), rate)));
    for (const block of [128, 700]) {
      const { player } = await memoryPlayer(memory, plan);
      player.play();
      const heard = runPlayer(player, 60_000, block);
      expect(differenceDb(heard.left.subarray(from), whole.left.subarray(from))).toBeLessThan(-115);
    }
  });

  test('begun, drawn anew and let go of while it plays, leaves no click', async () => {
    // A level that is let go of at −18 dB steps by no more than what fades.
    const deep = deeps[target.parameter] ?? -60;
    const tone = sine(1000, -18, 4, rate);
    const memory = twoTakes(tone, tone, imageFor(target));
    const songs = [
      moved(memory.song),
      moved(memory.song, [target, points([0, deep])]),
      moved(memory.song, [target, points([0, deep / 2], [9, deep])]),
      moved(memory.song),
    ];
    const { player } = await memoryPlayer(memory, compile(songs[0], new Map()));
    player.play();
    const pieces = songs.map((song, n) => {
      if (n > 0) player.aim(compile(song, new Map()));
      return runPlayer(player, 24_000 + 37 * n, 512);
    });
    const sides = (['left', 'right'] as const).map((side) =>
      Float32Array.from(pieces.flatMap((piece) => [...piece[side]])),
    );
    for (const [n, side] of sides.entries()) {
      const steady = max(
        ...pieces.map((piece) =>
          sharpestBend((n === 0 ? piece.left : piece.right).subarray(-9600)),
        ),
      );
      expect(20 * log10(sharpestBend(side.subarray(4000)) / steady)).toBeLessThan(1);
    }
  });
});

describe('what may not be', () => {
  const { song } = memorySong([noise(1, rate, 1)], rate, alone);
  const place = points([0, 0]);
  test.each<[string, MoveTarget, Curve, RegExp]>([
    ['a part that is none', partTarget('p9', 'levelDb'), place, /names a part, a group or a room/],
    ['the place of a part', partTarget('p0', 'panPercent'), place, /may move: levelDb, flanksDb/],
    [
      'the width of a voice',
      voiceTarget('p0', 'v1', 'widthPercent'),
      place,
      /levelDb, panPercent, delayMs, highCutOctaves, peakDb, driveDb/,
    ],
    [
      'a voice without its name',
      { ...voiceTarget('p0', 'v1', 'levelDb'), of: null },
      place,
      /names the voice/,
    ],
    ['a part with a voice', { ...partTarget('p0', 'levelDb'), of: 'v1' }, place, /neither/],
    [
      'a level of 100 dB',
      partTarget('p0', 'levelDb'),
      points([0, 100]),
      /between −120 and 24 dB; it was 100/,
    ],
    [
      'a place that goes on',
      voiceTarget('p0', 'v1', 'panPercent'),
      points([0, -201]),
      /between −200 and 200 %/,
    ],
  ])('%s', (_, target, curve, sentence) => {
    const outcome = apply(song, {
      id: 'c',
      name: 'move',
      role: 'do',
      edits: [{ kind: 'set-moves', moves: [{ id: 'm', target, curve }] }],
    });
    expect(outcome.ok ? '' : outcome.error.sentence).toMatch(sentence);
  });

  test('a voice that is not there: its move waits', async () => {
    const memory = memorySong([noise(1, rate, 1)], rate, alone);
    const waits = moved(memory.song, [voiceTarget('p0', 'gone', 'levelDb'), points([0, -60])]);
    const [with_, without] = [
      await renderSides(memory, waits, roots.part('p0'), 9000),
      await renderSides(memory, memory.song, roots.part('p0'), 9000),
    ];
    expect(with_.left).toEqual(without.left);
  });
});
