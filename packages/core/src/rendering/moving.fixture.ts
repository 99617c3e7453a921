import { usualAmp } from '../amps/amp.ts';
import { neutralStage } from '../image/stage.ts';
import { curveDescription, type Curve } from '../moves/curve.ts';
import { feedOf } from '../rooms/feeds.ts';
import { newRoom } from '../rooms/room.ts';
import { groupOfParts } from '../song/along.ts';
import { apply } from '../song/commands.ts';
import type { MoveTarget } from '../song/moves-of.ts';
import type { Song } from '../song/song.ts';
import { newVoice } from '../voices/voice.ts';
import { memorySong } from './memory.fixture.ts';

export const rate = 48_000;

export const pan = (panPercent: number) => ({ placement: { kind: 'pan', panPercent } as const });
export const pair = {
  voices: [
    newVoice('left', 'left', pan(-100)),
    newVoice('right', 'right', { ...pan(100), take: 2 }),
  ],
  stage: neutralStage,
};
/** The same, the left one through a chain. */
export const driven = {
  ...pair,
  voices: pair.voices.map((voice) => (voice.id === 'left' ? { ...voice, amp: usualAmp } : voice)),
};
export const alone = { voices: [newVoice('v1', 'middle')], stage: neutralStage };
export const points = (...list: readonly (readonly [number, number])[]): Curve =>
  curveDescription.parse({ kind: 'points', points: list.map(([atS, by]) => ({ atS, by })) });
/** Each holds until the next one. */
export const steps = (...list: readonly (readonly [number, number])[]): Curve =>
  curveDescription.parse({
    kind: 'points',
    points: list.map(([atS, by]) => ({ atS, by, shape: 'step' })),
  });
export const cycle = (values: object): Curve =>
  curveDescription.parse({ kind: 'cycle', ...values });

/** A song with these moves; a room that is fed by its part and feeds another one, and a group round it. */
export function moved(song: Song, ...moves: readonly (readonly [MoveTarget, Curve])[]): Song {
  const outcome = apply(song, {
    id: 'c',
    name: 'move',
    role: 'do',
    edits: [
      { kind: 'set-groups', groups: [groupOfParts('g', 'G', ['p0'])] },
      {
        kind: 'set-rooms',
        rooms: [
          newRoom('r', 'R', { kind: 'ambience', decayS: 0.2, feeds: [feedOf('p0')] }),
          newRoom('s', 'S', {
            ...{ kind: 'ambience', decayS: 0.1, preDelayLeftMs: 0, preDelayRightMs: 0 },
            fromRooms: [{ roomId: 'r', levelDb: 0 }],
          }),
        ],
      },
      {
        kind: 'set-moves',
        moves: moves.map(([target, curve], n) => ({ id: `m${n}`, target, curve })),
      },
    ],
  });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

/** One part of two takes. */
export function twoTakes(first: Float32Array, second: Float32Array, image = pair) {
  const memory = memorySong([first, second], rate, alone);
  const other = memory.song.parts.p1.takes[0];
  const outcome = apply(memory.song, {
    id: 'c',
    name: 'two takes',
    role: 'do',
    edits: [
      { kind: 'remove-part', partId: 'p1' },
      {
        kind: 'set-takes',
        partId: 'p0',
        changes: { takes: [memory.song.parts.p0.takes[0], { ...other, id: 't2' }], image },
      },
    ],
  });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return { ...memory, song: outcome.value.song };
}
