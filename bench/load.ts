import { execFile } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { makingLoader } from '@pannet/core/derived/making';
import type { Image } from '@pannet/core/image/image';
import { neutralStage } from '@pannet/core/image/stage';
import { renderPart } from '@pannet/core/rendering/offline';
import { planSources } from '@pannet/core/rendering/plan';
import { Monitor } from '@pannet/core/rendering/monitor';
import { Player } from '@pannet/core/rendering/player';
import { blockLength, BlockStore } from '@pannet/core/sources/blocks';
import { newVoice, type VoiceChanges } from '@pannet/core/voices/voice';
import { planOf, rateHz, type Material } from './material.ts';
import type { OfflineImage } from './offline-job.ts';
import { median, ownSeconds, row } from './timing.ts';

const block = 128;

/** What watching the sound while it plays costs: the player with its scope and sums against the monitor alone. */
async function liveMeasuring({ mono }: Material): Promise<void> {
  const seconds = 30;
  const take = mono.subarray(0, (seconds + 1) * rateHz);
  const { plan, load: fetchBlock } = await planOf(
    Array.from({ length: 24 }, () => take),
    () => ({ voices: [newVoice('v1', 'centre')], stage: neutralStage }),
  );
  const store = new BlockStore();
  for (const source of planSources(plan))
    for (let index = 0; index * blockLength(source) < source.frames; index++)
      store.put(source.key, index, await fetchBlock(source, index));
  const blocks = (seconds * rateHz) / block;
  const watching = () =>
    ownSeconds(() => {
      const player = new Player(rateHz, store);
      player.watched = 'p0';
      player.aim(plan);
      player.play();
      const sides = Array.from({ length: 4 }, () => new Float32Array(block));
      for (let n = 0; n < blocks; n++)
        player.process(sides[0], sides[1], sides[2], sides[3], block);
    });
  const alone = () =>
    ownSeconds(() => {
      const monitor = new Monitor(rateHz, store);
      monitor.aim(plan);
      monitor.settle();
      for (let n = 0; n < blocks; n++) monitor.render(n * block);
    });
  const costs: number[] = [];
  for (let n = 0; n < 5; n++) costs.push((await watching()) - (await alone()));
  row(
    'live measuring of 24 parts',
    `${((100 * median(costs)) / seconds).toFixed(1)} % of one core (mark ≤ 5)`,
  );
}

/** So many tuned voices of so many parts, hard left and right in turn, none tuned alike. */
export function tunedParts(perPart: number, part: number): Image {
  const voices = Array.from({ length: perPart }, (_, n) => {
    const cents = 5 + ((part * perPart + n) % 40);
    return newVoice(`v${n}`, `voice ${n}`, {
      placement: { kind: 'pan', panPercent: n % 2 ? 100 : -100 },
      delay: { value: 3 + 2.13 * n, unit: 'ms' },
      tuner: { cents: n % 2 ? cents : -cents },
    });
  });
  return { voices, stage: neutralStage };
}

export async function load(material: Material): Promise<void> {
  for (const parts of [25, 50]) await tunedVoices(material, parts);
  await liveMeasuring(material);
  await costs(material);
  await offline('tuned', '36 tuned voices', '45');
  await offline('chain', '12 amp chains', '60');
}

/** What the worklet does, without its host: so many parts of four tuned voices in blocks of 128 frames, everything else included. */
async function tunedVoices({ mono }: Material, parts: number): Promise<void> {
  const seconds = 20;
  const take = mono.subarray(0, (seconds + 1) * rateHz);
  const takes = Array.from({ length: parts }, () => take);
  const { plan, load: fetchBlock } = await planOf(takes, (n) => tunedParts(4, n));
  const store = new BlockStore();
  const make = makingLoader(fetchBlock);
  for (const source of planSources(plan))
    for (let index = 0; index * blockLength(source) < source.frames; index++)
      store.put(source.key, index, await make(source, index));
  const player = new Player(rateHz, store);
  player.watched = 'p0';
  player.aim(plan);
  player.play();
  const sides = Array.from({ length: 4 }, () => new Float32Array(block));
  const run = (blocks: number) => {
    for (let n = 0; n < blocks; n++) player.process(sides[0], sides[1], sides[2], sides[3], block);
  };
  run((2 * rateHz) / block);
  const blocks = ((seconds - 4) * rateHz) / block;
  const spent = await ownSeconds(() => run(blocks));
  const budget = (blocks * block) / rateHz;
  if (player.underruns > 0) throw new Error('The bench starved its own player.');
  row(
    `${4 * parts} tuned voices in blocks of 128`,
    `${((100 * spent) / budget).toFixed(0)} % of one core (mark ≤ 70)`,
  );
}

const kinds: readonly (readonly [name: string, changes: VoiceChanges])[] = [
  ['whole samples late', { delay: { value: 500, unit: 'samples' } }],
  ['a fraction late', { delay: { value: 11.03, unit: 'ms' } }],
  ['tuned, single lines', { tuner: { cents: 7 } }],
  ['tuned, chords', { tuner: { kind: 'chords', cents: 7 } }],
  ['tuned, struck sounds', { tuner: { kind: 'struck', cents: 7 } }],
  ['tuned, pads', { tuner: { kind: 'pads', cents: 7 } }],
  ['half tuned', { tuner: { cents: 7, mixPercent: 50 } }],
  ['timbre moved', { tuner: { timbreSemitones: -4 } }],
  ['drifting', { drift: { rangeMs: 6 } }],
  ['tuned and drifting', { tuner: { cents: 7 }, drift: { rangeMs: 6 } }],
  ['spread', { placement: { kind: 'spread', degrees: 60 } }],
  ['coloured', { colour: { oddPercent: 50, evenPercent: 50 } }],
  ['toned', { tone: { tiltDb: 3, lowCutHz: 120 } }],
];

/** What one voice of each kind costs: all of it, splices planned and sources made. */
async function costs({ mono }: Material): Promise<void> {
  const minute = mono.subarray(0, 60 * rateHz);
  for (const [name, changes] of kinds) {
    const voices = Array.from({ length: 4 }, (_, n) =>
      newVoice(`v${n}`, `voice ${n}`, {
        ...changes,
        ...(changes.delay ? {} : { delay: { value: 7.7 + n, unit: 'ms' } }),
        // None is tuned like another, of which it would share what is made.
        ...(changes.tuner?.cents ? { tuner: { ...changes.tuner, cents: 7 + n } } : {}),
      }),
    );
    const spent = await ownSeconds(async () => {
      const { plan, load: fetchBlock } = await planOf([minute], () => ({
        voices,
        stage: neutralStage,
      }));
      for await (const { left } of renderPart(plan, 'p0', fetchBlock, 0, minute.length))
        if (left.length === 0) throw new Error('An empty block.');
    });
    row(`a voice, ${name}`, `${((100 * spent) / 60 / voices.length).toFixed(2)} % of one core`);
  }
}

/** 12 parts of 240 s: alone, and shared between two processes, as an export does. Wall time, since that is the point. */
async function offline(kind: OfflineImage, name: string, mark: string): Promise<void> {
  const job = fileURLToPath(new URL('./offline-job.js', import.meta.url));
  const run = async (parts: number) => {
    const words = ['--no-warnings', job, kind, String(parts)];
    return Number((await promisify(execFile)(process.execPath, words)).stdout);
  };
  const alone = await run(12);
  const shared = Math.max(...(await Promise.all([run(6), run(6)])));
  row(`${name} × 240 s, one process`, `${alone.toFixed(1)} s (mark ≤ ${mark})`);
  row(
    `${name} × 240 s, two processes`,
    `${shared.toFixed(1)} s, ${(alone / shared).toFixed(2)} × as fast as one (mark ≥ 1.5)`,
  );
}
