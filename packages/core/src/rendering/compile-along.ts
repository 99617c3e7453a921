import { heardHz, type MovingParameter } from '../parameters/tables.ts';
import { db, dbToGain } from '../quantities/units.ts';
import { inTempo } from '../rooms/in-tempo.ts';
import { responseNeed, type ResponseLibrary, type RoomResponse } from '../rooms/response.ts';
import type { Group, Move } from '../song/along.ts';
import { innermostFirst } from '../song/groups.ts';
import {
  feedTarget,
  levelTarget,
  moveOf,
  partTarget,
  voiceTarget,
  type MoveTarget,
} from '../song/moves-of.ts';
import { isFrozen } from '../song/frozen.ts';
import type { Part, Recording, Song } from '../song/song.ts';
import { channelSource } from '../sources/blocks.ts';
import { delayInMs, type Voice } from '../voices/voice.ts';
import { still, type FrozenAs, type PartMoves, type VoiceMoves } from './part-nodes.ts';
import { roots, type BedPlan, type RenderPlan } from './plan.ts';
import { ringingRoot, type RoomAlong } from './room-nodes.ts';
import type { Along } from './song-nodes.ts';
import type { Ground } from './strands.ts';
import type { MovingValue, Value } from './value.ts';

/** By what they belong to: a drag asks for those of every part again and again. */
export type MovesById = ReadonlyMap<string, readonly Move[]>;

export function movesById({ moves }: Song): MovesById {
  const found = new Map<string, Move[]>();
  for (const move of moves) {
    const { id } = move.target;
    const known = found.get(id);
    if (known) known.push(move);
    else found.set(id, [move]);
  }
  return found;
}

/** Rooms as they ring in the song: what is recorded but not ready yet rings on as in `previous`. */
export function roomsAlong(
  song: Song,
  responses: ResponseLibrary,
  previous: RenderPlan | null,
): RoomAlong[] {
  const { rooms, tempo, recordings } = song;
  return rooms.map((room) => {
    if (room.frozen && isFrozen(song, room))
      return {
        ...room,
        frozenAs: readAs(
          recordings[room.frozen.recording],
          room.muted ? 0 : dbToGain(db(room.levelDb - room.frozen.levelDb)),
        ),
      };
    const need = responseNeed(room, recordings);
    const response = need && (responses.get(need.key) ?? ringsBy(previous, room.id));
    return response ? { ...room, response } : inTempo(room, tempo);
  });
}

/** Both sides of a recording, in the place of what it was rendered of. */
function readAs(recording: Recording, gain: number): FrozenAs {
  const [left, right] = [0, recording.channels - 1].map((n) => channelSource(recording, n));
  return { left, right, gain };
}

function ringsBy(plan: RenderPlan | null, roomId: string): RoomResponse | undefined {
  const id = ringingRoot(roots.room(roomId));
  const node = plan?.nodes.find((one) => one.id === id);
  return node?.kind === 'room' ? node.room.response : undefined;
}

/** What lies over the parts of a song, and how it moves. */
export function along(
  song: Song,
  rateHz: number,
  moves: MovesById,
  rooms: readonly RoomAlong[],
): Along {
  const value = (target: MoveTarget, as: MovingValue['as'], base: number): MovingValue | null => {
    const own = moves.get(target.id);
    const move = own ? moveOf({ moves: own }, target) : null;
    return move && movingValue(song, move, as, base, rateHz);
  };
  const gain = (target: MoveTarget, base: number) => value(target, 'gain', base) ?? base;
  return {
    panLaw: song.panLaw,
    bed: compileBed(song),
    groups: innermostFirst(song.groups).map((group) => groupPlan(group, gain)),
    rooms,
    roomGain: (id) => gain(levelTarget('room', id), 1),
    feedGain: (id, of, base) => gain(feedTarget(id, of), base),
    partMoves: (partId) => {
      const part = song.parts[partId];
      const moving = moves.has(partId) ? partMoves(part, value) : still;
      if (!part.frozen || !isFrozen(song, part)) return moving;
      const frozen = readAs(song.recordings[part.frozen.recording], dbToGain(db(part.levelDb)));
      return { ...moving, frozen };
    },
  };
}

function movingValue(
  { tempo }: Song,
  { target: { parameter }, curve }: Move,
  as: MovingValue['as'],
  base: number,
  rateHz: number,
): MovingValue {
  return { as, base, parameter, curve, tempo, rateHz };
}

function groupPlan(
  { id, partIds, parentId, levelDb, muted, preparation, stage }: Group,
  gain: (target: MoveTarget, base: number) => Value,
): Along['groups'][number] {
  const level = gain(levelTarget('group', id), dbToGain(db(levelDb)));
  return { id, partIds, parentId, bus: { preparation, stage }, gain: muted ? 0 : level };
}

type ValueOf = (target: MoveTarget, as: MovingValue['as'], base: number) => MovingValue | null;

/** What moves of a part along the song. */
function partMoves({ id, image }: Part, value: ValueOf): PartMoves {
  const own = (parameter: MovingParameter, as: MovingValue['as'] = 'gain', base = 1) =>
    value(partTarget(id, parameter), as, base);
  return {
    level: own('levelDb') ?? 1,
    flanks: own('flanksDb') ?? 1,
    width: own('widthPercent', 'percent', image.stage.widthPercent),
    image: own('imagePercent', 'image'),
    plain: own('imagePercent', 'plain'),
    frozen: null,
    voices: image.voices.flatMap(({ id: of, placement, tone }): VoiceMoves[] => {
      const level = value(voiceTarget(id, of, 'levelDb'), 'gain', 1);
      const place =
        placement.kind === 'pan'
          ? value(voiceTarget(id, of, 'panPercent'), 'percent', placement.panPercent)
          : null;
      const openHz = tone.highCutHz ?? heardHz.max;
      const hz = value(voiceTarget(id, of, 'highCutOctaves'), 'hz', openHz);
      const q = value(voiceTarget(id, of, 'peakDb'), 'q', 1);
      const cut = hz || q ? { hz: hz ?? openHz, q: q ?? Math.SQRT1_2 } : null;
      return level || place || cut ? [{ id: of, level: level ?? 1, place, cut }] : [];
    }),
  };
}

/** Ids of the voices of which that moves along the song. */
export type MovingVoices = Pick<Ground, 'placesMove' | 'cutsMove' | 'delaysMove' | 'drivesMove'>;

export const standing: MovingVoices = {
  placesMove: new Set(),
  cutsMove: new Set(),
  delaysMove: new Map(),
  drivesMove: new Map(),
};

/** @param moves of the part */
export function movingVoices(
  song: Song,
  { id: partId, image }: Part,
  rateHz: number,
  moves: readonly Move[],
): MovingVoices {
  if (moves.length === 0) return standing;
  const of = (...parameters: readonly MovingParameter[]) =>
    image.voices.flatMap(({ id }) =>
      parameters.some((parameter) => moveOf({ moves }, voiceTarget(partId, id, parameter)))
        ? [id]
        : [],
    );
  const values = (
    parameter: MovingParameter,
    as: MovingValue['as'],
    base: (voice: Voice) => number,
  ) =>
    new Map(
      image.voices.flatMap((voice): [string, MovingValue][] => {
        const move = moveOf({ moves }, voiceTarget(partId, voice.id, parameter));
        return move ? [[voice.id, movingValue(song, move, as, base(voice), rateHz)]] : [];
      }),
    );
  return {
    placesMove: new Set(of('panPercent')),
    cutsMove: new Set(of('highCutOctaves', 'peakDb')),
    delaysMove: values('delayMs', 'ms', ({ delay }) => delayInMs(delay, rateHz)),
    drivesMove: values('driveDb', 'db', ({ amp }) => amp?.driveDb ?? 0),
  };
}

function compileBed(song: Song): BedPlan | null {
  if (!song.bed) return null;
  const recording = song.recordings[song.bed.recording];
  const channel = (n: number) => channelSource(recording, n);
  return {
    left: channel(0),
    right: channel(recording.channels - 1),
    gain: dbToGain(db(song.bed.levelDb)),
  };
}
