import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { makingLoader } from '../derived/making.ts';
import { anyImage, anyPreparation } from '../image/any-image.fixture.ts';
import { neutralStage } from '../image/stage.ts';
import { recipes } from '../image/recipes.ts';
import { noise, sine } from '../measurement/signals.fixture.ts';
import { groupOfParts } from '../song/along.ts';
import { apply } from '../song/commands.ts';
import { anySong } from '../song/any-song.fixture.ts';
import type { Edit } from '../song/edits/edit.ts';
import type { Song } from '../song/song.ts';
import { blockFrames, blockLength, BlockStore, type BlockLoader } from '../sources/blocks.ts';
import { newVoice } from '../voices/voice.ts';
import { compile } from './compile.ts';
import { Graph } from './graph.ts';
import { allKinds, type Kinds } from './kinds/kinds.ts';
import { noReach, type NodeBase, type NodeKind } from './kinds/kind.ts';
import { OutputRun } from './kinds/output.ts';
import { memoryPlan, memoryPlayer, memorySong, runPlayer, sharpestBend } from './memory.fixture.ts';
import { renderRoot } from './offline.ts';
import { memoryOf, nodesUnder, planEnd, planReach, roots, type PlanGraph } from './plan.ts';
import { quantumFrames } from './quantum.ts';
import { mapBounds, widestReach } from './time-map.ts';

const rate = 48_000;
const { abs, max, log10, hypot } = Math;

async function rendered(
  plan: PlanGraph,
  root: string,
  load: BlockLoader,
  from: number,
  to: number,
  kinds?: Kinds,
): Promise<{ left: Float32Array; right: Float32Array }> {
  const left = new Float32Array(to - from);
  const right = new Float32Array(to - from);
  for await (const block of renderRoot(plan, root, load, from, to, kinds)) {
    left.set(block.left, block.frame - from);
    right.set(block.right, block.frame - from);
  }
  return { left, right };
}

/** The largest difference between one side and the sum of several, under full scale, in dB. */
function apartDb(one: Float32Array, others: readonly Float32Array[]): number {
  let apart = 0;
  for (let n = 0; n < one.length; n++)
    apart = max(apart, abs(one[n] - others.reduce((sum, other) => sum + other[n], 0)));
  return 20 * log10(apart + 1e-12);
}

const peakOf = (side: Float32Array) => side.reduce((most, value) => max(most, abs(value)), 0);

function done(song: Song, ...edits: Edit[]): Song {
  const outcome = apply(song, { id: 'c', name: 'step', role: 'do', edits });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

describe('any node can be the root', () => {
  const takes = [noise(1, rate, 1), noise(1, rate, 2), noise(1, rate, 3)];
  const length = 40_000;

  test('a part before its stage is the sum of its voices, whatever they are', async () => {
    await fc.assert(
      fc.asyncProperty(anyImage, anyPreparation, async (image, preparation) => {
        const memory = memorySong(
          [takes[0]],
          rate,
          { ...image, stage: neutralStage },
          { preparation },
        );
        const plan = await memoryPlan(memory);
        const whole = await rendered(plan, roots.part('p0'), memory.load, 0, length);
        const voices = [];
        for (const { id } of image.voices)
          if (nodesUnder(plan, roots.voice('p0', id)).length > 0)
            voices.push(await rendered(plan, roots.voice('p0', id), memory.load, 0, length));
        for (const side of ['left', 'right'] as const) {
          const parts = voices.map((voice) => voice[side]);
          // Under the loudest of them: an image may raise a take by 90 dB, and floats have 24 bits.
          const peak = Math.max(1, ...parts.map(peakOf));
          expect(apartDb(whole[side], parts) - 20 * log10(peak)).toBeLessThan(-90);
        }
      }),
      { numRuns: 12 },
    );
  });

  test('the song is the sum of its groups and parts; what is muted is not in it', async () => {
    const memory = memorySong(takes, rate, recipes[0].image);
    const song = done(
      memory.song,
      {
        kind: 'set-groups',
        groups: [groupOfParts('g', 'G', ['p0', 'p1'], { levelDb: -6 })],
      },
      { kind: 'set-part', partId: 'p1', changes: { levelDb: -3 } },
    );
    const plan = compile(song, new Map());
    const of = (root: string) => rendered(plan, root, memory.load, 0, length);
    const [whole, group, first, second, third] = [
      await of(roots.song),
      await of(roots.group('g')),
      await of(roots.part('p0')),
      await of(roots.part('p1')),
      await of(roots.part('p2')),
    ];
    expect(apartDb(whole.left, [group.left, third.left])).toBeLessThan(-140);
    const gain = 10 ** (-6 / 20);
    const scaled = [first, second].map(({ right }) => right.map((value) => value * gain));
    expect(apartDb(group.right, scaled)).toBeLessThan(-130);
    const muted = compile(
      done(song, { kind: 'set-part', partId: 'p2', changes: { muted: true } }),
      new Map(),
    );
    const less = await rendered(muted, roots.song, memory.load, 0, length);
    expect(apartDb(less.left, [group.left])).toBeLessThan(-140);
    // In its group, too.
    const halved = compile(
      done(song, { kind: 'set-part', partId: 'p1', changes: { muted: true } }),
      new Map(),
    );
    const half = await rendered(halved, roots.group('g'), memory.load, 0, length);
    expect(apartDb(half.right, [scaled[0]])).toBeLessThan(-130);
  });

  test('what is heard is what is exported: the same song through the monitor', async () => {
    const memory = memorySong(takes, rate, recipes[0].image);
    const song = done(memory.song, {
      kind: 'set-groups',
      groups: [groupOfParts('g', 'G', ['p1'], { levelDb: -9 })],
    });
    const plan = compile(song, new Map());
    const whole = await rendered(plan, roots.song, memory.load, 0, length);
    const { player } = await memoryPlayer(memory, plan);
    player.play();
    const heard = runPlayer(player, length, 700);
    // Behind the fade in.
    expect(apartDb(heard.left.subarray(2000), [whole.left.subarray(2000)])).toBeLessThan(-120);
  });
});

describe('any song that passes', () => {
  test('plays and exports: finite, the same again, and nothing of it is read from beyond its stated reach', async () => {
    const pcm = new Map<string, Float32Array>();
    const load: BlockLoader = (source, index) => {
      let signal = pcm.get(source.key);
      if (!signal) pcm.set(source.key, (signal = noise(source.frames / rate, rate, source.frames)));
      return Promise.resolve(signal.subarray(index * blockFrames, (index + 1) * blockFrames));
    };
    await fc.assert(
      fc.asyncProperty(anySong, async (song) => {
        const plan = await memoryPlan({ song, load });
        const [partId] = song.partOrder;
        const to = Math.min(planEnd(plan), 20_000);
        const first = await rendered(plan, roots.song, load, 0, to);
        for (const side of [first.left, first.right])
          expect(side.every(Number.isFinite)).toBe(true);
        const from = Math.min(3000, to);
        const part = await rendered(plan, roots.part(partId), load, from, to);
        const again = await rendered(plan, roots.part(partId), load, 0, to);
        if (song.moves.length === 0) expect(part.left).toEqual(again.left.subarray(from));
        // A store that holds what the reach says and no more misses nothing.
        const store = new BlockStore();
        const { behind, ahead } = planReach(plan, roots.heard);
        const made = makingLoader(load);
        const at = 2 * quantumFrames;
        for (const node of nodesUnder(plan, roots.heard))
          for (const source of allKinds[node.kind].sources(node))
            for (let index = 0; index * blockLength(source) < source.frames; index++)
              if (
                (index + 1) * blockLength(source) > at - behind &&
                index * blockLength(source) < at + quantumFrames + ahead
              )
                store.put(source.key, index, await made(source, index));
        const graph = new Graph(rate, store);
        graph.aim(plan, roots.heard);
        graph.at(at);
        graph.render(roots.heard);
        expect(store.missingFrames).toBe(0);
      }),
      // What fails is made smaller for a minute at most.
      { numRuns: 25, interruptAfterTimeLimit: 60_000, markInterruptAsFailure: false },
    );
  });
});

describe('what is removed while it plays', () => {
  const tone = sine(997, -6, 3, rate);
  const memory = memorySong([tone, sine(400, -12, 3, rate)], rate);
  const bedHash = memory.song.parts.p1.takes[0].recording;
  const withBed = done(
    memory.song,
    { kind: 'set-part', partId: 'p1', changes: { muted: true } },
    { kind: 'set-bed', bed: { recording: bedHash, levelDb: 0 } },
  );

  test.each<[string, Edit]>([
    ['a part', { kind: 'remove-part', partId: 'p0' }],
    ['the bed', { kind: 'set-bed', bed: null }],
    [
      'the voice of a part',
      { kind: 'set-image', partId: 'p0', image: { voices: [], stage: neutralStage } },
    ],
  ])('%s leaves no click, and is gone', async (_, edit) => {
    const { player } = await memoryPlayer(memory, compile(withBed, new Map()));
    player.play();
    const before = runPlayer(player, 24_000 + 37, 512);
    player.aim(compile(done(withBed, edit), new Map()));
    const after = runPlayer(player, 24_000, 512);
    const steady = sharpestBend(before.left.subarray(4000));
    // In one piece, so that a step between both is seen.
    const joined = new Float32Array(8000);
    joined.set(before.left.subarray(-4000));
    joined.set(after.left.subarray(0, 4000), 4000);
    expect(20 * log10(sharpestBend(joined) / steady)).toBeLessThan(0.5);
    const left = after.left.subarray(12_000);
    const power = left.reduce((sum, value) => sum + value * value, 0);
    const whole = before.left.subarray(-12_000).reduce((sum, value) => sum + value * value, 0);
    expect(power).toBeLessThan(0.9 * whole);
  });

  test('a part that is gone is read no more: blocks that no longer come are no dropouts', async () => {
    const { player, store } = await memoryPlayer(memory, compile(withBed, new Map()));
    player.play();
    runPlayer(player, 12_000, 512);
    player.aim(compile(done(withBed, { kind: 'remove-part', partId: 'p0' }), new Map()));
    expect(player.monitor.parts.map(({ id }) => id)).toEqual(['p1']);
    runPlayer(player, 12_000, 512);
    const { recording } = withBed.parts.p0.takes[0];
    expect(player.heardKeys.some((key) => key.startsWith(recording))).toBe(false);
    store.retain((key) => !key.startsWith(recording));
    runPlayer(player, 12_000, 512);
    expect(player.underruns).toBe(0);
  });

  test('and what comes fades in', async () => {
    const without = done(withBed, { kind: 'remove-part', partId: 'p0' });
    const { player, store } = await memoryPlayer(memory, compile(withBed, new Map()));
    player.aim(compile(without, new Map()));
    player.play();
    const before = runPlayer(player, 20_000, 512);
    expect(store.missingFrames).toBe(0);
    player.aim(compile(withBed, new Map()));
    const after = runPlayer(player, 20_000, 512);
    const joined = new Float32Array(8000);
    joined.set(before.left.subarray(-4000));
    joined.set(after.left.subarray(0, 4000), 4000);
    expect(20 * log10(sharpestBend(joined) / sharpestBend(after.left.subarray(8000)))).toBeLessThan(
      0.5,
    );
  });
});

/** A kind that only this test knows: y = x + y₋₁ · 0.999, one file and one row. */
interface RingingNode extends NodeBase {
  readonly kind: 'ringing';
  readonly feedback: number;
}

class RingingRun extends OutputRun<RingingNode> {
  #node: RingingNode;
  readonly #inputs;
  readonly #sums = [new Float64Array(quantumFrames), new Float64Array(quantumFrames)] as const;
  readonly #last = [0, 0];

  constructor(
    node: RingingNode,
    inputs: Parameters<NodeKind<RingingNode>['start']>[1],
    context: ConstructorParameters<typeof OutputRun>[0],
  ) {
    super(context);
    this.#node = node;
    this.#inputs = inputs;
  }

  aim(node: RingingNode): void {
    this.#node = node;
  }

  settle(): void {}

  protected make(): void {
    const [left, right] = this.#sums;
    left.fill(0);
    right.fill(0);
    for (const input of this.#inputs) input.add(left, right);
    for (const [side, out] of [this.left, this.right].entries())
      for (let n = 0; n < quantumFrames; n++) {
        this.#last[side] = this.#sums[side][n] + this.#node.feedback * this.#last[side];
        out[n] = this.#last[side];
      }
  }
}

const ringingKind: NodeKind<RingingNode> = {
  start: (node, inputs, context) => new RingingRun(node, inputs, context),
  sources: () => [],
  reach: () => noReach,
  memoryFrames: ({ feedback }) => Math.ceil(Math.log(1e-6) / Math.log(feedback)),
  latencyFrames: () => 0,
};

describe('a kind of node that is new', () => {
  const kinds = { ...allKinds, ringing: ringingKind as unknown as NodeKind<NodeBase> };
  const memory = memorySong([noise(3, rate, 5)], rate, recipes[0].image);

  test('is one file and its row; once its memory has passed, a stretch is what the whole is there', async () => {
    const plan = await memoryPlan(memory);
    const ringing: RingingNode = {
      kind: 'ringing',
      id: 'room',
      inputs: [roots.part('p0')],
      feedback: 0.999,
    };
    const more: PlanGraph = { ...plan, nodes: [...plan.nodes, ringing] };
    expect(memoryOf(nodesUnder(more, 'room'), rate, kinds)).toBeGreaterThan(13_000);
    const whole = await rendered(more, 'room', memory.load, 0, 90_000, kinds);
    const stretch = await rendered(more, 'room', memory.load, 60_011, 90_000, kinds);
    const peak = whole.left.reduce((most, value) => max(most, abs(value)), 0);
    const apart = apartDb(stretch.left, [whole.left.subarray(60_011)]) - 20 * log10(peak);
    expect(apart).toBeLessThan(-115);
    // It does what its formula says.
    const dry = await rendered(plan, roots.part('p0'), memory.load, 0, 2000);
    let y = 0;
    for (let n = 0; n < 2000; n++) {
      y = dry.left[n] + 0.999 * y;
      expect(abs(whole.left[n] - y)).toBeLessThan(1e-4 * hypot(1, y));
    }
  });
});

describe('time maps', () => {
  test('tell how far any allowed voice reads', async () => {
    const widest = widestReach(rate);
    const take = noise(0.5, rate, 8);
    await fc.assert(
      fc.asyncProperty(anyImage, async (image) => {
        const [part] = (await memoryPlan(memorySong([take], rate, image))).parts;
        for (const strand of part.strands) {
          const { behind, ahead } = mapBounds(strand, strand.source);
          expect(behind).toBeLessThanOrEqual(widest.behind);
          expect(ahead).toBeLessThanOrEqual(widest.ahead);
        }
      }),
      { numRuns: 30 },
    );
  });

  test('a song goes on until its latest voice has rung out, and no longer', async () => {
    const late = newVoice('v', 'late', { delay: { value: 150, unit: 'ms' } });
    const memory = memorySong([noise(1, rate, 9)], rate, { voices: [late], stage: neutralStage });
    expect(planEnd(await memoryPlan(memory))).toBe(rate + 0.15 * rate);
    const plain = memorySong([noise(1, rate, 9)], rate);
    expect(planEnd(await memoryPlan(plain))).toBe(rate);
  });
});
