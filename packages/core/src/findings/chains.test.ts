import { describe, expect, test } from '@jest/globals';
import { ampDescription, usualAmp, type Amp } from '../amps/amp.ts';
import { usualSharedDrive, type SharedDrive } from '../amps/shared-drive.ts';
import { demoTape, score } from '../demo/score.ts';
import { neutralStage } from '../image/stage.ts';
import { integratedLoudness } from '../measurement/loudness.ts';
import { noise } from '../measurement/signals.fixture.ts';
import { bowed, hum, plucked, type Instrument } from '../performing/instruments.ts';
import type { Note } from '../performing/note.ts';
import { compile } from '../rendering/compile.ts';
import { memorySong } from '../rendering/memory.fixture.ts';
import { LongFir } from '../signal/long-fir.ts';
import type { Song } from '../song/song.ts';
import { newVoice } from '../voices/voice.ts';
import { chainOffset } from './chain-offset.ts';
import { chainPhase } from './chain-phase.ts';
import {
  compareChains,
  evenedChains,
  linedUpChains,
  opposedChains,
  type VoiceChange,
} from './chains.ts';

const rate = 48_000;
const { abs, cos, log10, PI, sin } = Math;

/** Any shift of a signal, to a fraction of a frame, by a linear phase. */
function shifted(samples: Float32Array, frames: number): Float32Array {
  const fir = new LongFir(1024, rate, (hz) => {
    const angle = (2 * PI * hz * frames) / rate;
    return { re: cos(angle), im: -sin(angle) };
  });
  const padded = new Float32Array(samples.length + 2048);
  padded.set(samples, 1024);
  return fir.process(padded, samples.length);
}

describe('how two chains lie against each other', () => {
  const one = noise(1.5, rate, 21, 0.4);

  test.each([0, 0.37, 72, -72, 71.5, 310.25, -900.75])(
    '%s frames later, to a twentieth of one',
    (late) => {
      for (const sign of [1, -1]) {
        const other = shifted(one, late).map((value) => sign * value);
        const offset = chainOffset(one, other, rate);
        expect(abs((offset?.frames ?? 1e9) - late)).toBeLessThan(0.05);
        expect(offset?.polarity).toBe(sign < 0 ? 'inverted' : 'normal');
        expect(offset?.likeness).toBeGreaterThan(0.97);
      }
    },
  );

  test('two unlike impulses 72 frames apart: 72, and nowhere is the K-weighted fold louder (independent search)', () => {
    const impulse = (at: number, ring: number) => {
      const samples = new Float32Array(rate);
      for (let n = 0; n < 600; n++)
        samples[at + n] = Math.exp(-n / ring) * cos((2 * PI * 900 * n) / rate);
      return samples;
    };
    const [first, second] = [impulse(20_000, 40), impulse(20_072, 25)];
    const offset = chainOffset(first, second, rate);
    expect(abs((offset?.frames ?? 0) - 72)).toBeLessThan(1);
    const fold = (late: number, sign: number) => {
      const back = shifted(second, -late);
      return integratedLoudness([first.map((value, n) => value + sign * back[n])], rate);
    };
    const found = fold(offset?.frames ?? 0, 1);
    for (let late = 40; late <= 104; late += 0.5)
      for (const sign of [1, -1]) expect(fold(late, sign)).toBeLessThanOrEqual(found + 0.002);
  });

  test('silence lies nowhere', () => {
    expect(chainOffset(one, new Float32Array(one.length), rate)).toBeNull();
  });
});

const first = (play: Instrument, notes: readonly Note[], seconds: number) =>
  Float32Array.from(
    play(
      notes.filter(({ startSeconds }) => startSeconds < seconds),
      8,
      {
        ...demoTape,
        frames: seconds * rate,
      },
    ),
    (value) => 0.4 * value,
  );

/** A part of one take, hard left and right through two chains. */
function chained(take: Float32Array, left: Amp | null, right: Amp | null, rightDelayMs = 0) {
  const voices = [
    newVoice('l', 'left', { placement: { kind: 'pan', panPercent: -100 }, amp: left }),
    newVoice('r', 'right', {
      placement: { kind: 'pan', panPercent: 100 },
      amp: right,
      delay: { value: rightDelayMs, unit: 'ms' },
    }),
  ];
  const memory = memorySong([take], rate, { voices, stage: neutralStage });
  const asked = {
    song: memory.song,
    partId: 'p0',
    voices: ['l', 'r'] as const,
    from: 0,
    to: take.length,
  };
  const planFor = (song: Song) => Promise.resolve(compile(song, new Map()));
  return { ...memory, asked, planFor };
}

const clean: Amp = { ...usualAmp, driveDb: 3, squashPercent: 0 };
const pushed: Amp = {
  ...usualAmp,
  driveDb: 26,
  shape: 'hard',
  cabinet: { ...usualAmp.cabinet!, kind: 'squat-four-cone' },
};

describe('chains of one take are made even', () => {
  test.each([
    ['plucked', plucked, score.plucked, 6],
    ['low bowed', bowed, score.bowed, 5],
    [
      'hummed',
      hum,
      score.hum.map((note) => ({ ...note, startSeconds: note.startSeconds - 9.6 })),
      7,
    ],
  ] as const)(
    '%s: loudness to 0.1 LU and crest to 0.5 dB, or a sentence says why not',
    async (_, play, notes, seconds) => {
      const { asked, planFor, load } = chained(first(play, notes, seconds), clean, pushed);
      const before = await compareChains(asked, planFor, load);
      const evened = await evenedChains(asked, planFor, load);
      if (!evened.ok) throw new Error(evened.error.sentence);
      const { apart, short } = evened.value;
      expect(abs((before.first.lufs ?? 0) - (before.second.lufs ?? 0))).toBeGreaterThan(1);
      expect(abs((apart.first.lufs ?? 0) - (apart.second.lufs ?? 0))).toBeLessThanOrEqual(0.1);
      const crest = abs((apart.first.crestDb ?? 0) - (apart.second.crestDb ?? 0));
      if (short === null) expect(crest).toBeLessThanOrEqual(0.5);
      else expect(short).toMatch(/crests stay \d+\.\d dB apart/);
    },
    60_000,
  );

  test('a clean voice beside a chain: the chain is driven less; two bare voices are refused', async () => {
    const take = first(plucked, score.plucked, 4);
    const { asked, planFor, load } = chained(take, null, { ...pushed, cabinet: null });
    const evened = await evenedChains(asked, planFor, load);
    if (!evened.ok) throw new Error(evened.error.sentence);
    expect(evened.value.changes.map(({ voiceId }) => voiceId)).toEqual(['r']);
    expect(evened.value.changes[0].changes.amp?.driveDb).toBeLessThan(12);
    const bare = chained(take, null, null);
    const refused = await evenedChains(bare.asked, bare.planFor, bare.load);
    expect(refused.ok ? '' : refused.error.sentence).toContain('Neither voice has an amp chain');
    const silent = chained(new Float32Array(rate), clean, pushed);
    const nothing = await evenedChains(silent.asked, silent.planFor, silent.load);
    expect(nothing.ok ? '' : nothing.error.sentence).toContain('silent');
  });
});

describe('chains are lined up', () => {
  const apply = (song: Song, changes: readonly VoiceChange[]): Song => {
    const part = song.parts.p0;
    const voices = part.image.voices.map((voice) => ({
      ...voice,
      ...changes.find(({ voiceId }) => voiceId === voice.id)?.changes,
    }));
    return { ...song, parts: { p0: { ...part, image: { ...part.image, voices } } } };
  };

  test('a far microphone, a delay and a turned plug: after it the fold is as loud as it can be', async () => {
    const take = noise(2, rate, 5, 0.3);
    const cabinet = {
      kind: 'closed-one-cone',
      acrossPercent: 20,
      distanceCm: 80,
      keepDelay: true,
    } as const;
    const { asked, planFor, load, song } = chained(
      take,
      ampDescription.parse({ cabinet: { ...cabinet, distanceCm: 3 } }),
      ampDescription.parse({ cabinet }),
      1.5,
    );
    const turned = apply(song, [{ voiceId: 'r', changes: { polarity: 'inverted' } }]);
    const before = await compareChains({ ...asked, song: turned }, planFor, load);
    // 77 cm farther away are 2.2 ms; and the delay.
    expect(((before.offset?.frames ?? 0) / rate) * 1000).toBeGreaterThan(3);
    expect(before.offset?.polarity).toBe('inverted');
    const [left, right] = turned.parts.p0.image.voices;
    const changes = linedUpChains(left, right, before.offset!, rate);
    const after = await compareChains({ ...asked, song: apply(turned, changes) }, planFor, load);
    expect(abs(after.offset?.frames ?? 1)).toBeLessThan(0.06);
    expect(after.offset?.polarity).toBe('normal');
    expect(after.offset?.likeness).toBeCloseTo(before.offset?.likeness ?? 0, 2);
    // The later one had no delay to give beyond its own: the other waits.
    expect(changes.every(({ changes: { delay } }) => delay === undefined || delay.value >= 0)).toBe(
      true,
    );
  });

  test('equal chains lie at 0 and are wholly alike; what is lined up stays', async () => {
    const { asked, planFor, load, song } = chained(noise(1, rate, 3, 0.3), clean, clean);
    const { offset } = await compareChains(asked, planFor, load);
    expect(abs(offset?.frames ?? 1)).toBeLessThan(1e-3);
    expect(offset?.likeness).toBeGreaterThan(0.9999);
    const [left, right] = song.parts.p0.image.voices;
    expect(
      linedUpChains(left, right, { frames: 0, polarity: 'normal', likeness: 1, gainDb: 0 }, rate),
    ).toEqual([]);
  });

  test('a decibel is a decibel: an output turned by 6 dB is heard as 6 LU', async () => {
    const { asked, planFor, load } = chained(noise(1, rate, 3, 0.2), clean, {
      ...clean,
      levelDb: -6,
    });
    const { first: one, second: other } = await compareChains(asked, planFor, load);
    expect((one.lufs ?? 0) - (other.lufs ?? 0)).toBeCloseTo(6, 2);
    expect(20 * log10(2)).toBeCloseTo(6.02, 2);
  });
});

describe('what of an offset is no delay', () => {
  const take = noise(3, rate, 31, 0.3);

  test('a pure delay leaves no phase, and the fold of what is lined up loses nothing', () => {
    for (const [late, sign] of [
      [12.4, 1],
      [-40, -1],
    ] as const) {
      const other = shifted(take, late).map((value) => sign * value);
      const offset = chainOffset(take, other, rate);
      const rows = chainPhase(take, other, rate, offset);
      const heard = rows.filter(({ hz }) => hz > 100 && hz < 12_000);
      for (const { degrees, linedUpLossDb } of heard) {
        expect(abs(degrees ?? 180)).toBeLessThan(4);
        expect(linedUpLossDb).toBeGreaterThan(-0.05);
      }
      expect(heard.length).toBeGreaterThan(35);
    }
  });

  test('a comb loses in a narrow low band what its closed form says', () => {
    const late = 24;
    const rows = chainPhase(take, shifted(take, late), rate, null);
    for (const { hz, lossDb } of rows.filter(({ hz }) => hz < 700)) {
      const form = 20 * log10(abs(cos((PI * hz * late) / rate)));
      expect(abs((lossDb ?? 0) - form)).toBeLessThan(0.15);
    }
  });

  test('an all-pass is phase where it turns, whatever is lined up', () => {
    // First order about 1 kHz: the phase is −2 atan(f / 1000).
    const c = (Math.tan((PI * 1000) / rate) - 1) / (Math.tan((PI * 1000) / rate) + 1);
    const other = new Float32Array(take.length);
    for (let n = 1; n < take.length; n++) other[n] = c * take[n] + take[n - 1] - c * other[n - 1];
    const rows = chainPhase(take, other, rate, {
      frames: 0,
      polarity: 'normal',
      likeness: 1,
      gainDb: 0,
    });
    for (const { hz, degrees } of rows.filter(({ hz }) => hz > 80 && hz < 8000)) {
      const w = Math.tan((PI * hz) / rate) / Math.tan((PI * 1000) / rate);
      const form = (-360 / PI) * Math.atan(w);
      expect(abs((degrees ?? 999) - form)).toBeLessThan(5);
    }
  });

  test('where they have nothing in common no phase is said, and silence says nothing', () => {
    const rows = chainPhase(take, noise(3, rate, 99, 0.3), rate, null);
    expect(rows.filter(({ degrees }) => degrees !== null).length).toBeLessThan(4);
    const silent = new Float32Array(rate);
    expect(
      chainPhase(silent, silent, rate, null).every(
        ({ degrees, lossDb }) => degrees === null && lossDb === null,
      ),
    ).toBe(true);
  });
});

test('a drive in front of all voices is no chain of theirs, one of two voices is', () => {
  const opposed = (left: Amp | null, drive?: SharedDrive) => {
    const { song } = chained(noise(0.2, rate, 5), left, null, 1);
    const { p0 } = song.parts;
    const image = { ...p0.image, ...(drive ? { drive } : {}) };
    return opposedChains(compile({ ...song, parts: { p0: { ...p0, image } } }, new Map()).parts[0]);
  };
  expect(opposed(null)).toBeNull();
  expect(opposed(null, usualSharedDrive)).toBeNull();
  expect(opposed(clean)).toEqual(['l', 'r']);
  expect(opposed(clean, usualSharedDrive)).toEqual(['l', 'r']);
});
