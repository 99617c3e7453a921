import { describe, expect, test } from '@jest/globals';
import { ampDescription } from '../amps/amp.ts';
import { neutralImage } from '../image/image.ts';
import { recipes } from '../image/recipes.ts';
import { noise, rms, sine } from '../measurement/signals.fixture.ts';
import { blockFrames, BlockStore } from '../sources/blocks.ts';
import { groupOfParts } from '../song/along.ts';
import { apply } from '../song/commands.ts';
import type { Edit } from '../song/edits/edit.ts';
import { compile } from './compile.ts';
import {
  memoryPlan,
  memoryPlayer,
  memoryRecording,
  memorySong,
  runPlayer,
  supply,
  type MemorySong,
} from './memory.fixture.ts';
import { plainMonitoring, type Monitoring } from './monitor.ts';
import { neutralTuner } from '../voices/voice.ts';
import { planReach } from './plan.ts';
import { Player } from './player.ts';

const rate = 48_000;
const { abs } = Math;
const centre = Math.SQRT1_2;
/** Longer than any fade or glide. */
const settled = 4096;

async function playing(memory: MemorySong, monitoring: Partial<Monitoring> = {}, from = 0) {
  const plan = await memoryPlan(memory);
  const made = await memoryPlayer(memory, plan);
  made.player.listen({ ...plainMonitoring, ...monitoring });
  made.player.seek(from);
  made.player.play();
  return { ...made, plan };
}

describe('what is heard', () => {
  const one = sine(500, -12, 2, rate);
  const two = sine(900, -12, 2, rate);
  const level = (samples: Float32Array) => rms(samples, settled, settled + 9600);

  test('all parts together, or only what is soloed', async () => {
    const memory = memorySong([one, two]);
    const both = runPlayer((await playing(memory)).player, 20_000);
    expect(level(both.left)).toBeCloseTo(centre * rms(one) * Math.SQRT2, 3);
    const solo = runPlayer((await playing(memory, { solo: ['p1'] })).player, 20_000);
    expect(solo.left[12_000]).toBeCloseTo(two[12_000] * centre, 6);
  });

  test('a muted part is silent, but the tap still has it as it would be exported', async () => {
    const memory = memorySong([one]);
    const song = edited(memory, [{ kind: 'set-part', partId: 'p0', changes: { muted: true } }]);
    const { left, tapLeft } = runPlayer((await playing(song)).player, 20_000);
    expect(Math.max(...left)).toBe(0);
    expect(tapLeft[12_000]).toBeCloseTo(one[12_000] * centre, 6);
  });

  test('a soloed part is heard also when it is muted', async () => {
    const song = edited(memorySong([one]), [
      { kind: 'set-part', partId: 'p0', changes: { muted: true } },
    ]);
    const { left } = runPlayer((await playing(song, { solo: ['p0'] })).player, 20_000);
    expect(level(left)).toBeGreaterThan(0.1);
  });

  test('plain is the take in the middle at the gain that matches it', async () => {
    const memory = memorySong([one], rate, recipes[0].image);
    const { left, right } = runPlayer(
      (await playing(memory, { plain: { p0: 1.5 } })).player,
      20_000,
    );
    expect(left[12_000]).toBeCloseTo(one[12_000] * centre * 1.5, 6);
    expect(right[12_000]).toBe(left[12_000]);
  });

  test('the part level is in image, plain and tap alike', async () => {
    const song = edited(memorySong([one]), [
      { kind: 'set-part', partId: 'p0', changes: { levelDb: -6 } },
    ]);
    const half = 10 ** (-6 / 20);
    const image = runPlayer((await playing(song)).player, 20_000);
    const plain = runPlayer((await playing(song, { plain: { p0: 1 } })).player, 20_000);
    expect(image.left[12_000]).toBeCloseTo(one[12_000] * centre * half, 6);
    expect(image.tapLeft[12_000]).toBeCloseTo(one[12_000] * centre * half, 6);
    expect(plain.left[12_000]).toBeCloseTo(one[12_000] * centre * half, 6);
  });

  test.each([
    ['fold', (l: number, r: number) => [(l + r) / 2, (l + r) / 2]],
    ['difference', (l: number, r: number) => [(l - r) / 2, (l - r) / 2]],
    ['left', (l: number) => [l, 0]],
    ['right', (_: number, r: number) => [0, r]],
  ] as const)('hearing %s', async (listening, expected) => {
    const memory = memorySong([noise(2, rate, 12)], rate, recipes[0].image);
    const stereo = runPlayer((await playing(memory)).player, 20_000);
    const heard = runPlayer((await playing(memory, { listening })).player, 20_000);
    for (const n of [9000, 12_345, 19_999]) {
      const [left, right] = expected(stereo.left[n], stereo.right[n]);
      expect(heard.left[n]).toBeCloseTo(left, 6);
      expect(heard.right[n]).toBeCloseTo(right, 6);
      // What is listened to is not what is exported.
      expect(heard.tapLeft[n]).toBe(stereo.tapLeft[n]);
    }
  });

  /** A part over a bed at −6 dB. */
  function overBed(take: Float32Array): MemorySong {
    const recording = memoryRecording(9, one.length, rate);
    const memory = memorySong([take]);
    const withBed = edited(memory, [
      { kind: 'put-recording', recording },
      { kind: 'set-bed', bed: { recording: recording.hash, levelDb: -6 } },
    ]);
    const load: MemorySong['load'] = (source, index) =>
      source.key.startsWith(recording.hash)
        ? Promise.resolve(one.subarray(index * 32_768, (index + 1) * 32_768))
        : memory.load(source, index);
    return { ...withBed, load };
  }

  test('the bed lies under everything at its level, and can be left out', async () => {
    const song = overBed(new Float32Array(one.length));
    const heard = runPlayer((await playing(song)).player, 20_000);
    expect(heard.left[12_000]).toBeCloseTo(one[12_000] * 10 ** (-6 / 20), 6);
    expect(heard.tapLeft[12_000]).toBe(0);
    const without = runPlayer((await playing(song, { bedHeard: false })).player, 20_000);
    expect(Math.max(...without.left)).toBe(0);
  });

  test('the bed beside the mix: alone, at the gain that makes it as loud', async () => {
    const song = overBed(one);
    const bed = await playing(song, { mixHeard: false, bedMatch: 1.5 });
    const heard = runPlayer(bed.player, 20_000);
    expect(heard.left[12_000]).toBeCloseTo(1.5 * one[12_000] * 10 ** (-6 / 20), 6);
    // What is watched and exported goes on.
    expect(heard.tapLeft[12_000]).not.toBe(0);
  });
});

function edited({ song, load }: MemorySong, edits: readonly Edit[]): MemorySong {
  const outcome = apply(song, { id: 'c', name: 'change', role: 'do', edits });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return { song: outcome.value.song, load };
}

describe('transport', () => {
  const take = noise(3, rate, 13);

  test('stands still until it is told to play, and after a stop', async () => {
    const memory = memorySong([take]);
    const { player } = await memoryPlayer(memory, await memoryPlan(memory));
    expect(Math.max(...runPlayer(player, 2000).left)).toBe(0);
    player.play();
    runPlayer(player, 4000);
    expect(player.state).toBe('playing');
    player.stop();
    runPlayer(player, 1000);
    expect(player.state).toBe('stopped');
    const stood = player.position;
    expect(Math.max(...runPlayer(player, 1000).left)).toBe(0);
    expect(player.position).toBe(stood);
  });

  test('a jump while it plays lands on its frame', async () => {
    const { player } = await playing(memorySong([take]));
    runPlayer(player, 5000);
    player.seek(70_001);
    runPlayer(player, 256);
    const before = player.position;
    const { tapLeft } = runPlayer(player, 3000);
    expect(before).toBeGreaterThanOrEqual(70_001);
    expect(before).toBeLessThan(70_001 + 300);
    for (const n of [0, 777, 2999]) expect(tapLeft[n]).toBeCloseTo(take[before + n] * centre, 6);
  });

  test('a loop comes round to the sample, off the grid as well', async () => {
    const { player } = await playing(memorySong([take]), {}, 10_003);
    player.loop = { start: 10_003, end: 14_010 };
    const length = 4007;
    const { tapLeft } = runPlayer(player, 3 * length, 100);
    for (let n = 0; n < length; n += 13) {
      expect(tapLeft[n]).toBeCloseTo(take[10_003 + n] * centre, 6);
      expect(tapLeft[n + length]).toBe(tapLeft[n]);
      expect(tapLeft[n + 2 * length]).toBe(tapLeft[n]);
    }
  });

  test('the seam of a loop does not click: what is heard goes down to nothing there', async () => {
    const { player } = await playing(
      memorySong([new Float32Array(3 * rate).fill(0.5)]),
      {},
      20_000,
    );
    player.loop = { start: 20_000, end: 30_000 };
    const { left } = runPlayer(player, 25_000);
    let steepest = 0;
    for (let n = 1; n < left.length; n++)
      steepest = Math.max(steepest, Math.abs(left[n] - left[n - 1]));
    expect(steepest).toBeLessThan(0.005);
  });

  test('the song ends by itself and stands at its beginning', async () => {
    const { player } = await playing(memorySong([take]), {}, 3 * rate - 2000);
    runPlayer(player, 20_000);
    expect(player.state).toBe('stopped');
    expect(player.position).toBe(0);
  });

  test('waits for what it needs, and counts what comes too late', async () => {
    const memory = memorySong([take]);
    const plan = await memoryPlan(memory);
    const store = new BlockStore();
    const player = new Player(rate, store);
    player.aim(plan);
    player.play();
    runPlayer(player, 2000);
    expect(player.state).toBe('loading');
    expect(player.underruns).toBe(0);
    const { source } = plan.parts[0].plain.strand;
    store.put(source.key, 0, await memory.load(source, 0));
    runPlayer(player, 40_000);
    // The second block never came: silence from there on, said as such.
    expect(player.state).toBe('playing');
    expect(player.underruns).toBeGreaterThan(10);
  });

  test('waits for no more than its voices read', async () => {
    const long = noise(6, rate, 2);
    const plain = await memoryPlan(memorySong([long]));
    const late = await memoryPlan(
      memorySong([long], rate, recipes.find(({ id }) => id === 'one-side-late')?.image),
    );
    const ms14 = (14 * rate) / 1000;
    expect(planReach(late).behind - planReach(plain).behind).toBe(ms14);
    expect(planReach(late).ahead).toBe(planReach(plain).ahead);
    // The block behind is only asked for by the voice that comes late.
    for (const [plan, heard] of [
      [plain, 'playing'],
      [late, 'loading'],
    ] as const) {
      const store = new BlockStore();
      const player = new Player(rate, store);
      player.aim(plan);
      const { load } = memorySong([long]);
      store.put(
        plan.parts[0].plain.strand.source.key,
        2,
        await load(plan.parts[0].plain.strand.source, 2),
      );
      player.seek(2 * blockFrames + 400);
      player.play();
      runPlayer(player, 512);
      expect(player.state).toBe(heard);
    }
  });

  test('what still sounds while it closes for a jump is not to be dropped', async () => {
    const { player, plan } = await playing(memorySong([noise(4, rate, 4)]));
    const { key } = plan.parts[0].strands[0].source;
    const sounds = (index: number) => player.sounds(key, index);
    runPlayer(player, 4096);
    player.seek(3 * blockFrames);
    expect(player.position).toBe(3 * blockFrames);
    expect([sounds(0), sounds(3)]).toEqual([true, false]);
    runPlayer(player, 4096);
    expect([sounds(0), sounds(3)]).toEqual([false, true]);
    player.stop();
    runPlayer(player, 4096);
    expect(sounds(3)).toBe(false);
    expect(player.sounds('another', 0)).toBe(false);
  });

  test('what fades out under several changes that follow each other is not to be dropped either', async () => {
    const memory = memorySong([noise(3, rate, 4)]);
    const { player, plan, store } = await playing(memory);
    runPlayer(player, 4096);
    const keys = [plan.parts[0].strands[0].source.key];
    for (const oddPercent of [10, 20, 30]) {
      const { image } = memory.song.parts.p0;
      const [voice] = image.voices;
      const next = { ...image, voices: [{ ...voice, colour: { ...voice.colour, oddPercent } }] };
      const edit: Edit = { kind: 'set-image', partId: 'p0', image: next };
      const outcome = apply(memory.song, { id: 'c', name: 'c', role: 'do', edits: [edit] });
      if (!outcome.ok) throw new Error(outcome.error.sentence);
      const changed = compile(outcome.value.song, new Map());
      await supply(store, memory, changed, player.position);
      player.aim(changed);
      keys.push(changed.parts[0].strands[0].source.key);
      runPlayer(player, 512);
    }
    expect(new Set(keys).size).toBe(4);
    expect(keys.map((key) => player.sounds(key, 0))).toEqual([true, true, true, true]);
    runPlayer(player, 9600);
    player.aim(plan);
    expect(keys.map((key) => player.sounds(key, 0))).toEqual([true, false, false, true]);
  });

  test('while it stands, what is shaped keeps nothing of before', async () => {
    const memory = memorySong([noise(3, rate, 4)]);
    const plan = await memoryPlan(memory);
    const { player } = await memoryPlayer(memory, plan);
    const { image } = memory.song.parts.p0;
    const [voice] = image.voices;
    const coloured = {
      ...image,
      voices: [{ ...voice, colour: { ...voice.colour, oddPercent: 40 } }],
    };
    const other = await memoryPlan(memorySong([noise(3, rate, 4)], rate, coloured));
    for (let n = 0; n < 5; n++) player.aim(n % 2 === 0 ? other : plan);
    player.aim(plan);
    player.play();
    runPlayer(player, 512);
    const keys = [plan, other].map(({ parts }) => parts[0].strands[0].source.key);
    expect(keys[0]).not.toBe(keys[1]);
    expect(keys.map((key) => player.sounds(key, 0))).toEqual([true, false]);
  });

  test('starts and stops without a step', async () => {
    const { player } = await playing(memorySong([new Float32Array(2 * rate).fill(0.5)]));
    const begun = runPlayer(player, 4000).left;
    player.stop();
    const ended = runPlayer(player, 2000).left;
    for (const side of [begun, ended])
      for (let n = 1; n < side.length; n++)
        expect(Math.abs(side[n] - side[n - 1])).toBeLessThan(0.005);
    expect(ended[1999]).toBe(0);
  });

  test('shows the watched part in the scope and every part in the sums', async () => {
    const { player } = await playing(memorySong([take, take], rate, recipes[0].image));
    runPlayer(player, 20_000);
    expect(Math.max(...player.scope)).toBeGreaterThan(0.05);
    const [ll, rr, lr, ll2] = player.sums;
    expect(ll).toBeGreaterThan(0);
    expect(ll2).toBe(ll);
    expect(Math.abs(lr)).toBeLessThan(0.2 * Math.sqrt(ll * rr));
  });
});

describe('plans', () => {
  const take = noise(1, rate, 14);

  test('a tuned voice is silent until its splices are there, then keeps the former ones', async () => {
    const memory = memorySong([take], rate, recipes[1].image);
    const waiting = compile(memory.song, new Map());
    expect(waiting.parts[0].strands.map((strand) => strand.left + strand.right)).toEqual(
      [2 * centre, 0, 0].map((gain) => expect.closeTo(gain, 9)),
    );
    const ready = await memoryPlan(memory);
    const retuned = edited(memory, [
      {
        kind: 'set-voice',
        partId: 'p0',
        voiceId: 'v2',
        changes: { tuner: { ...neutralTuner, cents: 9 } },
      },
    ]);
    const between = compile(retuned.song, new Map(), ready);
    expect(between.parts[0].strands[1].tuning).toBe(ready.parts[0].strands[1].tuning);
    expect(between.parts[0].strands[1].left).toBeGreaterThan(0);
  });

  test('can be handed to another thread', async () => {
    const plan = await memoryPlan(memorySong([take], rate, recipes[1].image));
    expect(structuredClone(plan)).toEqual(plan);
  });

  test('muted voices and empty images are silent', async () => {
    const silent = memorySong([take], rate, { ...neutralImage(), voices: [] });
    const { player } = await playing(silent);
    expect(Math.max(...runPlayer(player, 8000).tapLeft)).toBe(0);
  });
});

test.each([
  ['a part', (gain: number) => ({ image: { p0: gain } })],
  ['a group', (gain: number) => ({ groups: { g: gain } })],
])(
  'the gain of a state of %s that is compared is heard with its sound, not while that is still being made',
  async (_, raised) => {
    const one = memorySong([sine(1000, -12, 3, rate)]);
    const memory = { ...one, song: { ...one.song, groups: [groupOfParts('g', 'G', ['p0'])] } };
    const { player, store, plan } = await playing(memory);
    const level = (samples: Float32Array) => rms(samples, 0, samples.length);
    runPlayer(player, 4800);
    const before = level(runPlayer(player, 4800).left);
    const amp = ampDescription.parse({ inputDb: 12 });
    const louder = edited(memory, [
      { kind: 'set-voice', partId: 'p0', voiceId: 'v1', changes: { amp } },
    ]);
    const next = compile(louder.song, new Map(), plan);
    player.aim(next);
    // Four times as loud, at a quarter: the same.
    const matched = raised(10 ** (-12 / 20));
    player.listen({ ...plainMonitoring, ...matched });
    // What is no gain of a state goes at once, and back.
    player.listen({ ...plainMonitoring, level: 0.5, ...matched });
    runPlayer(player, 4800);
    expect(level(runPlayer(player, 4800).left)).toBeCloseTo(before / 2, 4);
    player.listen({ ...plainMonitoring, ...matched });
    runPlayer(player, 4800);
    expect(level(runPlayer(player, 4800).left)).toBeCloseTo(before, 4);
    await supply(store, louder, next, player.position);
    player.supplied();
    // Not even over the 400 ms in which the one goes over into the other (momentary loudness: EBU Tech 3341).
    const apart = () => abs(20 * Math.log10(level(runPlayer(player, 19_200).left) / before));
    expect(apart()).toBeLessThan(0.1);
    await supply(store, louder, next, player.position);
    expect(apart()).toBeLessThan(1e-4);
    // A state that was heard before goes back at once, with its gain.
    player.aim(plan);
    player.listen(plainMonitoring);
    expect(apart()).toBeLessThan(0.1);
    expect(apart()).toBeLessThan(1e-4);
  },
);

test('splices that come later go in without a new plan, and sound as if they had been there', async () => {
  const memory = memorySong([noise(2, rate, 4)], rate, recipes[1].image);
  const plan = await memoryPlan(memory);
  const retuned = edited(memory, [
    {
      kind: 'set-image',
      partId: 'p0',
      image: {
        ...recipes[1].image,
        voices: recipes[1].image.voices.map((voice) => ({
          ...voice,
          tuner: { ...voice.tuner, cents: voice.tuner.cents * 2 },
        })),
      },
    },
  ]);
  const whole = await memoryPlan(retuned);
  const { player } = await memoryPlayer(memory, plan);
  player.play();
  runPlayer(player, 9600);
  player.aim(compile(retuned.song, new Map(), plan));
  const before = runPlayer(player, 9600);
  const reference = await memoryPlayer(memory, plan);
  reference.player.seek(9600);
  reference.player.play();
  expect(before.tapLeft.subarray(settled)).toEqual(
    runPlayer(reference.player, 9600).tapLeft.subarray(settled),
  );
  for (const { strands } of whole.parts)
    for (const { tuning } of strands) if (tuning) player.tune(tuning.key, tuning.splices);
  runPlayer(player, settled);
  const after = runPlayer(player, 9600);
  const direct = await memoryPlayer(memory, whole);
  direct.player.seek(19_200 + settled);
  direct.player.play();
  expect(after.tapLeft).toEqual(runPlayer(direct.player, 9600).tapLeft);
  expect(rms(after.tapLeft)).toBeGreaterThan(0.01);
});
