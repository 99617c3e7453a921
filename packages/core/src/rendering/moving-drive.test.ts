import { describe, expect, test } from '@jest/globals';
import { ampDescription, type Amp } from '../amps/amp.ts';
import { driveShapes } from '../amps/drive.ts';
import { bent, DriveRun } from '../amps/drive-run.ts';
import { neutralStage } from '../image/stage.ts';
import { noise, sine } from '../measurement/signals.fixture.ts';
import { voiceTarget } from '../song/moves-of.ts';
import { newVoice, type Voice } from '../voices/voice.ts';
import { differenceDb, memorySong, renderSides } from './memory.fixture.ts';
import { cycle, moved, points, rate, steps } from './moving.fixture.ts';
import { roots } from './plan.ts';

const { abs, max } = Math;

const drive = voiceTarget('p0', 'v1', 'driveDb');

/** One voice through a chain. */
const through = (sound: Float32Array, amp: Partial<Amp> | null, voice: Partial<Voice> = {}) =>
  memorySong([sound], rate, {
    voices: [
      newVoice('v1', 'driven', { amp: amp && { ...ampDescription.parse({}), ...amp }, ...voice }),
    ],
    stage: neutralStage,
  });

describe('a drive that moves', () => {
  test.each(driveShapes)('and stands is the drive that is set there: %s', async (shape) => {
    const sound = noise(1, rate, 4, 0.3);
    const set = through(sound, { shape, driveDb: 26, squashPercent: 30 });
    const raised = through(sound, { shape, driveDb: 14, squashPercent: 30 });
    const song = moved(raised.song, [drive, points([0.2, 12])]);
    const [one, other] = [
      await renderSides(set, moved(set.song), roots.part('p0'), rate),
      await renderSides(raised, song, roots.part('p0'), rate),
    ];
    expect(differenceDb(other.left, one.left)).toBeLessThan(-110);
  });

  test.each(driveShapes)('goes along its curve, value by value: %s', (shape) => {
    // So low that what is bent has next to no harmonic near half the rate: the curve itself is what comes out.
    const sound = sine(20, -6, 2, rate);
    const driveAt = (frame: number) => (20 * frame) / rate;
    const samples = Float64Array.from(sound);
    new DriveRun({ shape, driveDb: 0, inputDb: 0 }, driveAt).process(samples);
    let worst = 0;
    for (let n = 200; n < 2 * rate - 200; n += 11) {
      const expected = bent(shape, max(1e-3, driveAt(n)), sound[n]);
      worst = max(worst, abs(samples[n + DriveRun.latencyFrames] - expected));
    }
    expect(worst).toBeLessThan(0.006);
  });

  test('goes by the song, however late its voice is', async () => {
    const memory = through(
      sine(500, -40, 2, rate),
      { driveDb: 0 },
      { delay: { value: 120, unit: 'ms' } },
    );
    const song = moved(memory.song, [drive, steps([0, 0], [1, 30])]);
    const { left } = await renderSides(memory, song, roots.part('p0'), 2 * rate);
    const loudest = (fromS: number, toS: number) =>
      left.subarray(fromS * rate, toS * rate).reduce((most, value) => max(most, abs(value)), 0);
    // What is quiet is raised by the drive.
    expect(loudest(1.001, 1.1) / loudest(0.9, 0.999)).toBeGreaterThan(10 ** (25 / 20));
  });

  test('as far down as it goes is none at all', async () => {
    const sound = sine(1000, -6, 1, rate);
    const [clean, low] = [through(sound, { driveDb: 0 }), through(sound, { driveDb: 20 })];
    const song = moved(low.song, [drive, points([0, -60])]);
    const [one, other] = [
      await renderSides(clean, moved(clean.song), roots.part('p0'), rate),
      await renderSides(low, song, roots.part('p0'), rate),
    ];
    // Where the tone begins and ends at once, four times the rate and back ring a little.
    const steady = (side: Float32Array) => side.subarray(1000, rate - 1000);
    expect(differenceDb(steady(other.left), steady(one.left))).toBeLessThan(-70);
  });

  test('waits where its voice has no chain; silence stays silence', async () => {
    const curve = cycle({ depthDb: 30, rate: { value: 3 } });
    const sound = noise(1, rate, 4, 0.3);
    const without = through(sound, null);
    const [moving, standing] = [
      await renderSides(without, moved(without.song, [drive, curve]), roots.part('p0'), rate),
      await renderSides(without, moved(without.song), roots.part('p0'), rate),
    ];
    expect(moving.left).toEqual(standing.left);
    const silent = through(new Float32Array(rate), { shape: 'uneven', driveDb: 30 });
    const { left } = await renderSides(
      silent,
      moved(silent.song, [drive, curve]),
      roots.part('p0'),
      rate,
    );
    expect(left.reduce((most, value) => max(most, abs(value)), 0)).toBeLessThan(1e-6);
  });
});
