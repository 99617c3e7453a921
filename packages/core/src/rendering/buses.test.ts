import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { anyPreparation } from '../image/any-image.fixture.ts';
import { groupRecipes } from '../image/group-recipes.ts';
import { groupStageDescription, neutralGroupStage, type GroupStage } from '../image/group-stage.ts';
import { neutralStage } from '../image/stage.ts';
import { noise, sine } from '../measurement/signals.fixture.ts';
import { anyOf } from '../parameters/any.fixture.ts';
import { groupOfParts } from '../song/along.ts';
import { apply } from '../song/commands.ts';
import type { Group, Song } from '../song/song.ts';
import { neutralPreparation, PreparationRun, type Preparation } from '../takes/preparation.ts';
import { newVoice } from '../voices/voice.ts';
import { compile } from './compile.ts';
import {
  differenceDb,
  memoryPlayer,
  memorySong,
  renderSides,
  runPlayer,
  sharpestBend,
} from './memory.fixture.ts';
import { plainMonitoring } from './monitoring.ts';
import { memoryOf, nodesUnder, roots } from './plan.ts';

const rate = 48_000;
const { abs, log10, max } = Math;

function grouped(song: Song, changes: Partial<Group>): Song {
  const groups = [groupOfParts('g', 'G', ['p0', 'p1'], changes)];
  const outcome = apply(song, {
    id: 'c',
    name: 'c',
    role: 'do',
    edits: [{ kind: 'set-groups', groups }],
  });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

const squeezed: Preparation = {
  ...neutralPreparation,
  lowCutHz: 90,
  bands: neutralPreparation.bands.with(1, { kind: 'bell', hz: 700, db: -5, q: 1.2 }),
  compressor: { thresholdDb: -24, ratio: 4, attackMs: 12, releaseMs: 120, makeUpDb: 3 },
};

describe('what is done to a group', () => {
  const takes = [noise(2, rate, 1, 0.4), noise(2, rate, 2, 0.4)];
  const middle = memorySong(takes, rate);

  test('its compressor is the take’s on the rendered sum', async () => {
    const plain = await renderSides(middle, grouped(middle.song, {}), roots.group('g'), rate);
    const sum = Float64Array.from(plain.left);
    new PreparationRun(squeezed, rate).process(sum);
    const made = await renderSides(
      middle,
      grouped(middle.song, { preparation: squeezed }),
      roots.group('g'),
      rate,
    );
    expect(differenceDb(made.left, sum)).toBeLessThan(-120);
    expect(made.right).toEqual(made.left);
  });

  const wide = memorySong(takes, rate, {
    voices: [
      newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 } }),
      newVoice('v2', 'right', {
        placement: { kind: 'pan', panPercent: 60 },
        delay: { value: 14, unit: 'ms' },
      }),
    ],
    stage: neutralStage,
  });

  test('a loud side brings both down alike: nothing moves between them', async () => {
    const whole = await renderSides(wide, grouped(wide.song, {}), roots.group('g'), rate);
    const preparation = { ...neutralPreparation, compressor: squeezed.compressor };
    const made = await renderSides(
      wide,
      grouped(wide.song, { preparation }),
      roots.group('g'),
      rate,
    );
    for (let n = 5000; n < rate; n += 101)
      expect(made.left[n] * whole.right[n]).toBeCloseTo(made.right[n] * whole.left[n], 6);
  });

  test('its stage leaves the fold as it is, to −120 dB, whatever it is set to', async () => {
    const fold = ({ left, right }: { left: Float32Array; right: Float32Array }) =>
      left.map((value, n) => (value + right[n]) / 2);
    const whole = fold(await renderSides(wide, grouped(wide.song, {}), roots.group('g'), 20_000));
    await fc.assert(
      fc.asyncProperty(anyOf(groupStageDescription), async (stage) => {
        const made = await renderSides(
          wide,
          grouped(wide.song, { stage }),
          roots.group('g'),
          20_000,
        );
        expect(differenceDb(fold(made), whole)).toBeLessThan(-120);
      }),
      { numRuns: 20 },
    );
  });

  test('at no width it is mono; its low end is in the middle, and its difference tilts', async () => {
    const tones = memorySong([sine(50, -12, 2, rate), sine(5000, -12, 2, rate)], rate, {
      voices: [newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 } })],
      stage: neutralStage,
    });
    const differenceDb = async (changes: Partial<GroupStage>) => {
      const stage = { ...neutralGroupStage, ...changes };
      const { left, right } = await renderSides(
        tones,
        grouped(tones.song, { stage }),
        roots.group('g'),
        rate,
      );
      const at = (hz: number) => {
        let [re, im] = [0, 0];
        // Whole periods of both.
        for (let n = rate / 2; n < rate; n++) {
          const value = (left[n] - right[n]) / 2;
          re += value * Math.cos((2 * Math.PI * hz * n) / rate);
          im += value * Math.sin((2 * Math.PI * hz * n) / rate);
        }
        return 20 * log10(Math.hypot(re, im) + 1e-9);
      };
      return [at(50), at(5000)] as const;
    };
    const [low, high] = await differenceDb({});
    const cut = await differenceDb({ lowHz: 150 });
    // Fourth order, 1.6 octaves under: 38 dB.
    expect(cut[0] - low).toBeLessThan(-36);
    expect(abs(cut[1] - high)).toBeLessThan(0.1);
    const tilted = await differenceDb({ tiltDb: 8 });
    expect(tilted[0] - low).toBeCloseTo(-4, 0);
    expect(tilted[1] - high).toBeCloseTo(4, 0);
    const half = await differenceDb({ widthPercent: 50 });
    expect(half[1] - high).toBeCloseTo(-6.02, 1);
    expect((await differenceDb({ widthPercent: 0 }))[1]).toBeLessThan(-100);
  });

  test('with any setting a stretch is what the whole has there, and what plays is what is written', async () => {
    await fc.assert(
      fc.asyncProperty(anyPreparation, anyOf(groupStageDescription), async (preparation, stage) => {
        const song = grouped(wide.song, { preparation, stage });
        const plan = compile(song, new Map());
        // What remembers for longer than the takes last has nothing to forget.
        fc.pre(memoryOf(nodesUnder(plan, roots.song), rate) < rate);
        const whole = await renderSides(wide, song, roots.song, 90_000);
        for (const side of [whole.left, whole.right])
          expect(side.every(Number.isFinite)).toBe(true);
        const stretch = await renderSides(wide, song, roots.song, 90_000, 70_003);
        expect(differenceDb(stretch.left, whole.left.subarray(70_003))).toBeLessThan(-115);
        const { player } = await memoryPlayer(wide, plan);
        player.play();
        const heard = runPlayer(player, 60_000, 700);
        const behind = 2000 + 240;
        // Before it can have forgotten its beginning, which fades in: filters and followers hear it softer.
        const from = max(behind, memoryOf(nodesUnder(plan, roots.song), rate));
        expect(
          differenceDb(heard.right.subarray(from), whole.right.subarray(from, 60_000)),
        ).toBeLessThan(-115);
      }),
      { numRuns: 12, interruptAfterTimeLimit: 60_000, markInterruptAsFailure: false },
    );
  });

  test.each<[string, Partial<Group>]>([
    ['a low cut', { preparation: { ...neutralPreparation, lowCutHz: 400 } }],
    ['a compressor', { preparation: { ...squeezed, bands: neutralPreparation.bands } }],
    ['no width', { stage: { ...neutralGroupStage, widthPercent: 0 } }],
    ['a low end in the middle', { stage: { ...neutralGroupStage, lowHz: 500 } }],
    ['a tilt', { stage: { ...neutralGroupStage, tiltDb: 12 } }],
  ])('%s that comes and goes while it plays leaves no click', async (_, changes) => {
    const tone = memorySong([sine(1000, -18, 4, rate), sine(1000, -18, 4, rate)], rate, {
      voices: [newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -70 } })],
      stage: neutralStage,
    });
    const { player } = await memoryPlayer(tone, compile(grouped(tone.song, {}), new Map()));
    player.play();
    const pieces = [runPlayer(player, 24_037, 512)];
    for (const next of [changes, {}]) {
      player.aim(compile(grouped(tone.song, next), new Map()));
      pieces.push(runPlayer(player, 24_000, 512));
    }
    const all = Float32Array.from(pieces.flatMap(({ left }) => [...left]));
    const steady = max(...pieces.map(({ left }) => sharpestBend(left.subarray(-9600))));
    expect(20 * log10(sharpestBend(all.subarray(2000)) / steady)).toBeLessThan(1);
  });
});

test.each(groupRecipes.map((recipe) => [recipe.name, recipe] as const))(
  'the recipe “%s” is one that a group may have, and leaves the fold what its preparation makes of it',
  async (_, { preparation, stage }) => {
    const memory = memorySong([noise(1, rate, 7, 0.2), noise(1, rate, 8, 0.2)], rate, {
      voices: [
        newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 } }),
        newVoice('v2', 'right', {
          placement: { kind: 'pan', panPercent: 100 },
          delay: { value: 12, unit: 'ms' },
        }),
      ],
      stage: neutralStage,
    });
    const fold = async (changes: Partial<Group>) => {
      const { left, right } = await renderSides(
        memory,
        grouped(memory.song, changes),
        roots.group('g'),
        rate / 2,
      );
      return left.map((l, n) => l + right[n]);
    };
    expect(
      differenceDb(await fold({ preparation, stage }), await fold({ preparation })),
    ).toBeLessThan(-110);
  },
);

describe('groups in groups', () => {
  const parts = ['p0', 'p1', 'p2'];
  const memory = memorySong(
    parts.map((_, n) => noise(1, rate, 40 + n, 0.2)),
    rate,
  );
  const within = (groups: readonly Group[]): Song => {
    const edits = [{ kind: 'set-groups', groups } as const];
    const outcome = apply(memory.song, { id: 'c', name: 'c', role: 'do', edits });
    if (!outcome.ok) throw new Error(outcome.error.sentence);
    return outcome.value.song;
  };

  test('what lies in a group is done to first: as if each were rendered and put into the next', async () => {
    const song = within([
      groupOfParts('outer', 'Outer', ['p2'], { preparation: squeezed, levelDb: -2 }),
      groupOfParts('inner', 'Inner', ['p0', 'p1'], {
        preparation: squeezed,
        levelDb: 3,
        parentId: 'outer',
      }),
    ]);
    const length = rate / 2;
    const side = async (of: Song, root: string) =>
      Float64Array.from((await renderSides(memory, of, root, length)).left);
    const [first, second, third] = await Promise.all(
      parts.map((id) => side(memory.song, roots.part(id))),
    );
    const inner = first.map((value, n) => value + second[n]);
    new PreparationRun(squeezed, rate).process(inner);
    const outer = inner.map((value, n) => value * 10 ** (3 / 20) + third[n]);
    new PreparationRun(squeezed, rate).process(outer);
    const level = 10 ** (-2 / 20);
    expect(
      differenceDb(
        await side(song, roots.group('outer')),
        outer.map((value) => value * level),
      ),
    ).toBeLessThan(-115);
    expect(await side(song, roots.song)).toEqual(await side(song, roots.group('outer')));
    const muted = within(
      song.groups.map((group) => (group.id === 'inner' ? { ...group, muted: true } : group)),
    );
    const alone = third.map((value) => value);
    new PreparationRun(squeezed, rate).process(alone);
    expect(
      differenceDb(
        await side(muted, roots.song),
        alone.map((value) => value * level),
      ),
    ).toBeLessThan(-115);
  });

  test('in whatever order and however deep they lie, groups that do nothing change nothing', async () => {
    const plain = await renderSides(memory, memory.song, roots.song, 4000);
    const names = ['a', 'b', 'c', 'd', 'e'];
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.nat(5), { minLength: 5, maxLength: 5 }),
        fc.array(fc.nat(4), { minLength: 3, maxLength: 3 }),
        fc.shuffledSubarray(names, { minLength: 5 }),
        async (parents, homes, order) => {
          // Each lies in one with a later name, or in none.
          const groups = order.map((id) => {
            const n = names.indexOf(id);
            const parentId = parents[n] > n && parents[n] < 5 ? names[parents[n]] : null;
            const own = parts.filter((_, k) => names[homes[k]] === id);
            return groupOfParts(id, id, own, { parentId });
          });
          const song = within(groups);
          const same = await renderSides(memory, song, roots.song, 4000);
          expect(differenceDb(same.left, plain.left)).toBeLessThan(-130);
          // Heard as it is exported.
          const plan = compile(song, new Map());
          const { player } = await memoryPlayer(memory, plan);
          player.play();
          const heard = runPlayer(player, 4000);
          expect(differenceDb(heard.left.subarray(2400), plain.left.subarray(2400))).toBeLessThan(
            -120,
          );
        },
      ),
      { numRuns: 25 },
    );
  });
});

describe('groups whose drafts are compared', () => {
  const memory = memorySong(
    [0, 1].map((n) => noise(1, rate, 60 + n, 0.2)),
    rate,
  );
  const { song } = memory;
  const nested = {
    ...song,
    groups: [
      groupOfParts('outer', 'Outer', ['p1']),
      groupOfParts('inner', 'Inner', ['p0'], { parentId: 'outer', preparation: squeezed }),
    ],
  };

  test('are heard at their gain, in whatever they lie; what is exported is as it was', async () => {
    const plan = compile(nested, new Map());
    const side = async (root: string) => (await renderSides(memory, nested, root, 9600)).left;
    const [inner, other] = [await side(roots.group('inner')), await side(roots.part('p1'))];
    for (const [groups, expected] of [
      [{ inner: 0.5 }, inner.map((value, n) => 0.5 * value + other[n])],
      [{ outer: 2 }, inner.map((value, n) => 2 * (value + other[n]))],
      [{ inner: 0.5, outer: 2 }, inner.map((value, n) => value + 2 * other[n])],
    ] as const) {
      const { player } = await memoryPlayer(memory, plan);
      player.watched = 'p0';
      player.listen({ ...plainMonitoring, groups });
      player.play();
      const { left, tapLeft } = runPlayer(player, 9600);
      expect(differenceDb(left.subarray(4800), expected.subarray(4800))).toBeLessThan(-120);
      const part = await side(roots.part('p0'));
      expect(tapLeft.subarray(4800)).toEqual(part.subarray(4800));
    }
  });

  test('what is brought into a group while it plays goes on as loud as it was', async () => {
    const { player } = await memoryPlayer(memory, compile(song, new Map()));
    player.play();
    const first = runPlayer(player, 9600).left;
    const groups = [groupOfParts('g', 'G', ['p0', 'p1'])];
    player.aim(compile({ ...song, groups }, new Map()));
    const { left } = runPlayer(player, 9600);
    const plain = (await renderSides(memory, song, roots.song, 19_200)).left;
    expect(differenceDb(first.subarray(4800), plain.subarray(4800, 9600))).toBeLessThan(-120);
    expect(differenceDb(left, plain.subarray(9600))).toBeLessThan(-120);
  });
});
