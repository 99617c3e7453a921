import { anyImpulse } from '../image/any-image.fixture.ts';
import { neutralImage, type Image } from '../image/image.ts';
import { noise } from '../measurement/signals.fixture.ts';
import type { SplicePlan } from '../voices/splices.ts';
import { makingLoader } from '../derived/making.ts';
import { spliceNeeds } from '../derived/splice-library.ts';
import { apply } from '../song/commands.ts';
import { emptySong, newPart, type Part, type Recording, type Song } from '../song/song.ts';
import type { Edit } from '../song/edits/edit.ts';
import {
  blockFrames,
  blockLength,
  BlockStore,
  ensureBlocks,
  type BlockLoader,
} from '../sources/blocks.ts';
import { compile } from './compile.ts';
import { prepareSplices, renderRoot, renderStretch } from './offline.ts';
import { planSources, type RenderPlan } from './plan.ts';
import { Player } from './player.ts';

/** A song whose PCM lies in memory. */
export interface MemorySong {
  readonly song: Song;
  readonly load: BlockLoader;
}

export function memoryRecording(index: number, frames: number, rateHz: number): Recording {
  return {
    hash: String(index).padStart(64, '0'),
    fileName: `take-${index}.wav`,
    encoding: 'float',
    bitsPerSample: 32,
    channels: 1,
    rateHz,
    frames,
    dataOffset: 44,
    bytesPerFrame: 4,
  };
}

/** One part a signal, named p0, p1 …, each with the given image. */
export function memorySong(
  signals: readonly Float32Array[],
  rateHz = 48_000,
  image: Image = neutralImage(),
  changes: Partial<Part> = {},
): MemorySong {
  const recordings: Edit[] = [{ kind: 'set-rate', rateHz }];
  const parts: Edit[] = [];
  const byKey = new Map<string, Float32Array>();
  for (const [n, signal] of signals.entries()) {
    const recording = memoryRecording(n, signal.length, rateHz);
    byKey.set(`${recording.hash}:0`, signal);
    const takes = [{ recording: recording.hash, channel: 0 }];
    const part = newPart(`p${n}`, `Part ${n}`, 'other', takes, { image, ...changes });
    recordings.push({ kind: 'put-recording', recording });
    parts.push({ kind: 'add-part', part, index: n });
  }
  // What any image may be heard through.
  const response = noise(0.05, rateHz, 77, 0.3).map((value, n) => value * Math.exp(-n / 200));
  recordings.push({
    kind: 'put-recording',
    recording: { ...memoryRecording(0, response.length, rateHz), hash: anyImpulse },
  });
  byKey.set(`${anyImpulse}:0`, response);
  const made = apply(emptySong('s', 'Memory'), {
    id: 'c',
    name: 'Make',
    role: 'do',
    edits: [...recordings, ...parts],
  });
  if (!made.ok) throw new Error(made.error.sentence);
  return {
    song: made.value.song,
    load: (source, index) => {
      const signal = byKey.get(source.key) as Float32Array;
      return Promise.resolve(signal.subarray(index * blockFrames, (index + 1) * blockFrames));
    },
  };
}

export async function memoryPlan({ song, load }: MemorySong): Promise<RenderPlan> {
  const splices = new Map<string, SplicePlan>();
  for (const need of spliceNeeds(song))
    splices.set(need.key, await prepareSplices(need, song.rateHz as number, load));
  return compile(song, splices);
}

/** The image of one signal, rendered whole. */
export async function renderImage(signal: Float32Array, image: Image, rateHz = 48_000) {
  const memory = memorySong([signal], rateHz, image);
  const plan = await memoryPlan(memory);
  return renderStretch(plan, 'p0', memory.load, 0, signal.length);
}

/** What any root of a song gives, rendered; its voices are not tuned. */
export async function renderSides(
  { load }: MemorySong,
  song: Song,
  root: string,
  to: number,
  from = 0,
) {
  const left = new Float32Array(to - from);
  const right = new Float32Array(to - from);
  for await (const block of renderRoot(compile(song, new Map()), root, load, from, to)) {
    left.set(block.left, block.frame - from);
    right.set(block.right, block.frame - from);
  }
  return { left, right };
}

/** The largest difference between two signals, under the largest value of the second, in dB. */
export function differenceDb(one: ArrayLike<number>, other: ArrayLike<number>): number {
  let apart = 0;
  let most = 1e-9;
  for (let n = 0; n < one.length; n++) {
    apart = Math.max(apart, Math.abs(one[n] - other[n]));
    most = Math.max(most, Math.abs(other[n]));
  }
  return 20 * Math.log10(apart / most + 1e-12);
}

/** The largest second difference of a signal: a click is far above that of a tone. */
export function sharpestBend(side: Float32Array): number {
  let most = 0;
  for (let n = 2; n < side.length; n++)
    most = Math.max(most, Math.abs(side[n] - 2 * side[n - 1] + side[n - 2]));
  return most;
}

/** A player with all of a song's PCM at hand, the first part watched. */
export async function memoryPlayer(
  { load }: MemorySong,
  plan: RenderPlan,
): Promise<{ player: Player; store: BlockStore }> {
  const store = new BlockStore();
  const loadAny = makingLoader(load);
  for (const source of planSources(plan))
    for (let index = 0; index * blockLength(source) < source.frames; index++)
      store.put(source.key, index, await loadAny(source, index));
  const player = new Player(plan.rateHz, store);
  player.watched = plan.parts[0].id;
  player.aim(plan);
  return { player, store };
}

/** Brings what a changed plan reads round a frame, as a feeder would. */
export async function supply(
  store: BlockStore,
  { load }: MemorySong,
  plan: RenderPlan,
  frame: number,
): Promise<void> {
  await ensureBlocks(store, makingLoader(load), planSources(plan), frame - 9600, frame + 24_000);
}

export interface Played {
  readonly left: Float32Array;
  readonly right: Float32Array;
  readonly tapLeft: Float32Array;
  readonly tapRight: Float32Array;
}

/** Runs a player for so many frames, in blocks as an audio host asks for them. */
export function runPlayer(player: Player, frames: number, blockSize = 128): Played {
  const sides = [0, 1, 2, 3].map(() => new Float32Array(frames));
  for (let at = 0; at < frames; at += blockSize) {
    const count = Math.min(blockSize, frames - at);
    const [left, right, tapLeft, tapRight] = sides.map((side) => side.subarray(at, at + count));
    player.process(left, right, tapLeft, tapRight, count);
  }
  const [left, right, tapLeft, tapRight] = sides;
  return { left, right, tapLeft, tapRight };
}
