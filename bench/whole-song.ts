import { join } from 'node:path';
import { writeFileSync } from 'node:fs';
import { wavFile } from '@pannet/core/formats/wav-write';
import { makingLoader } from '@pannet/core/derived/making';
import { neutralGroupStage } from '@pannet/core/image/group-stage';
import { neutralStage } from '@pannet/core/image/stage';
import { curveDescription } from '@pannet/core/moves/curve';
import { compile } from '@pannet/core/rendering/compile';
import { planSources, roots } from '@pannet/core/rendering/plan';
import { Player } from '@pannet/core/rendering/player';
import { feedOf } from '@pannet/core/rooms/feeds';
import { startingRoom } from '@pannet/core/rooms/starting';
import { groupOfParts } from '@pannet/core/song/along';
import { partKey, roomKey } from '@pannet/core/song/frozen';
import { partTarget, voiceTarget } from '@pannet/core/song/moves-of';
import type { Move, Song } from '@pannet/core/song/song';
import { BlockStore, blockFrames, blockLength } from '@pannet/core/sources/blocks';
import { neutralPreparation } from '@pannet/core/takes/preparation';
import { newVoice } from '@pannet/core/voices/voice';
import { rateHz, songOf, type Material } from './material.ts';
import { commandSeconds, median, ownSeconds, row } from './timing.ts';

const parts = 24;
/** It plays for so long each time. */
const seconds = 20;
const rounds = 5;
const quantum = 128;

const side = (panPercent: number, value: number) => ({
  placement: { kind: 'pan', panPercent } as const,
  delay: { value, unit: 'ms' } as const,
});
const image = {
  voices: [
    newVoice('v1', 'middle'),
    newVoice('v2', 'left', side(-100, 12)),
    newVoice('v3', 'right', side(100, 19)),
  ],
  stage: neutralStage,
};

/** Levels and places that move on half of the parts. */
function movesOf(ids: readonly string[]): Move[] {
  return ids.slice(0, parts / 2).map((id, n): Move => ({
    id: `m${n}`,
    target: n % 2 === 0 ? partTarget(id, 'levelDb') : voiceTarget(id, 'v2', 'panPercent'),
    curve: curveDescription.parse({ kind: 'cycle', rate: { value: 2 }, depthPercent: 60 }),
  }));
}

/** Four groups with compressor and stage, three rooms, two echoes, and moves on half of the parts. */
function whole(song: Song): Song {
  const ids = song.partOrder;
  const preparation = {
    ...neutralPreparation,
    lowCutHz: 60,
    compressor: { thresholdDb: -24, ratio: 3, attackMs: 20, releaseMs: 150, makeUpDb: 2 },
  };
  const stage = { ...neutralGroupStage, widthPercent: 90, tiltDb: 2, lowHz: 120 };
  return {
    ...song,
    groups: [0, 1, 2, 3].map((n) =>
      groupOfParts(`g${n}`, `G${n}`, ids.slice(6 * n, 6 * n + 6), { preparation, stage }),
    ),
    rooms: (['hall', 'chamber', 'plate', 'echo', 'echo'] as const).map((kind, n) => ({
      ...startingRoom(`r${n}`, kind, []),
      feeds: ids.slice(4 * n, 4 * n + 5).map((id) => feedOf(id)),
    })),
    moves: movesOf(ids),
  };
}

const frozenHash = 'ab'.repeat(32);

/** Its rooms, and where wanted its parts, rendered ahead: what is in the recording costs all the same. */
function frozen(song: Song, withParts: boolean): Song {
  const [known] = Object.values(song.recordings);
  const recording = { ...known, hash: frozenHash, fileName: 'frozen.wav', channels: 2 as const };
  const as = (key: string) => ({ recording: frozenHash, key });
  const frozenParts = Object.values(song.parts).map((part) => [
    part.id,
    withParts ? { ...part, frozen: as(partKey(song, part)) } : part,
  ]);
  return {
    ...song,
    recordings: { ...song.recordings, [frozenHash]: recording },
    parts: Object.fromEntries(frozenParts) as Song['parts'],
    rooms: song.rooms.map((room) => ({
      ...room,
      frozen: { ...as(roomKey(song, room)), levelDb: room.levelDb },
    })),
  };
}

/** What a song of 24 parts costs while it plays, and what of that each thing is; beside ffmpeg's mix of as many stereo files with an echo. */
export async function wholeSong({ mono, folder }: Material): Promise<void> {
  const take = mono.subarray(0, (seconds + 2) * rateHz);
  const { song, load } = await songOf(
    Array.from({ length: parts }, () => take),
    () => image,
  );
  const all = whole(song);
  const players: readonly (readonly [string, Player])[] = await Promise.all(
    (
      [
        ['parts', song],
        ['groups', { ...song, groups: all.groups }],
        ['rooms and echoes', { ...song, rooms: all.rooms }],
        ['moves', { ...song, moves: all.moves }],
        ['all', all],
        ['rooms frozen', frozen(all, false)],
        ['all frozen', frozen(all, true)],
      ] as const
    ).map(async ([name, one]) => {
      const plan = compile(one, new Map());
      const store = new BlockStore();
      const make = makingLoader((source, index) =>
        source.key.startsWith(frozenHash)
          ? Promise.resolve(take.subarray(index * blockFrames, (index + 1) * blockFrames))
          : load(source, index),
      );
      for (const source of planSources(plan, roots.heard))
        for (let n = 0; n * blockLength(source) < source.frames; n++)
          store.put(source.key, n, await make(source, n));
      const player = new Player(rateHz, store);
      player.aim(plan);
      return [name, player] as const;
    }),
  );
  const sides = [0, 1, 2, 3].map(() => new Float32Array(quantum));
  const play = (player: Player) => {
    player.seek(0);
    player.play();
    for (let n = 0; n * quantum < seconds * rateHz; n++)
      player.process(sides[0], sides[1], sides[2], sides[3], quantum);
  };
  const spent = new Map<string, number[]>(players.map(([name]) => [name, []]));
  const file = join(folder, 'stereo-part.wav');
  writeFileSync(file, wavFile([take, take], rateHz, '32f'));
  const mix: number[] = [];
  const inputs = Array.from({ length: parts }, () => ['-i', file]).flat();
  for (let n = 0; n < rounds; n++) {
    for (const [name, player] of players)
      spent.get(name)?.push(await ownSeconds(() => play(player)));
    mix.push(
      commandSeconds('ffmpeg', [
        ...['-v', 'error', ...inputs],
        ...['-filter_complex', `amix=inputs=${parts},aecho=0.8:0.6:350:0.3`, '-f', 'null', '-'],
      ]),
    );
  }
  const share = (name: string) => (100 * median(spent.get(name) ?? [])) / seconds;
  const more = ['groups', 'rooms and echoes', 'moves']
    .map((name) => `${name} ${(share(name) - share('parts')).toFixed(1)} % more`)
    .join(', ');
  const ratio = median(spent.get('all') ?? []) / median(mix);
  row(
    '24 parts, 4 groups, 3 rooms, 2 echoes, moves',
    `${share('all').toFixed(1)} % of a core (mark ≤ 70); without them ${share('parts').toFixed(1)} %; ${more}; with its rooms frozen ${share('rooms frozen').toFixed(1)} %, its parts, too, ${share('all frozen').toFixed(1)} %; ${ratio.toFixed(2)} × the time of ffmpeg's mix of 24 files with one echo`,
  );
}
