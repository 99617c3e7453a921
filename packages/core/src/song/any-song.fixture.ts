import fc from 'fast-check';
import { anyOf } from '../parameters/any.fixture.ts';
import { movingParameters, type MovingParameter } from '../parameters/tables.ts';
import { withImpulses } from '../image/image-file.ts';
import { memoryRecording } from '../rendering/memory.fixture.ts';
import type { ImageMove } from './along.ts';
import { movable } from './movable.ts';
import { feedTarget, levelTarget, partTarget, voiceTarget } from './moves-of.ts';
import { partDescription, type Part } from './part.ts';
import { checkSong, songDescription, type Move, type Song } from './song.ts';

export const rateHz = 48_000;
export const recordings = [0, 1, 2].map((n) => memoryRecording(n, 9000 * (n + 1), rateHz));

type Clip = NonNullable<Part['takes'][number]['clips']>[number];
type Path = NonNullable<NonNullable<Part['takes'][number]['align']>['path']>;

function near({ fromFrame, toFrame, atFrame, ...fades }: Clip, frames: number): Clip {
  const from = fromFrame % frames;
  return {
    ...fades,
    fromFrame: from,
    toFrame: from + 1 + (toFrame % frames),
    atFrame: atFrame % (2 * frames),
  };
}

/** Shifts of a take along the song, some of them by more than it is long. */
const anyPath: fc.Arbitrary<Path> = fc
  .uniqueArray(
    fc.record({
      at: fc.integer({ min: 0, max: 30_000 }),
      shift: fc.integer({ min: -20_000, max: 20_000 }),
      alike: fc.double({ min: 0, max: 1, noNaN: true }),
    }),
    { minLength: 1, maxLength: 12, selector: ({ at }) => at },
  )
  .map((knots) => {
    const sorted = knots.sort((a, b) => a.at - b.at);
    return {
      at: sorted.map(({ at }) => at),
      shift: sorted.map(({ shift }) => shift),
      alike: sorted.map(({ alike }) => alike),
    };
  });

/** A part of any values that names only what is there. */
const anyPart: fc.Arbitrary<Part> = fc
  .tuple(anyOf(partDescription), anyPath)
  .map(([part, path]) => {
    const takes = part.takes.slice(0, 2).map((take, n) => ({
      ...take,
      id: `t${n + 1}`,
      recording: recordings[n].hash,
      channel: 0,
      // Anywhere near the recordings, which are short.
      clips: take.clips && take.clips.slice(0, 5).map((clip) => near(clip, recordings[n].frames)),
      align: take.align && n > 0 ? { ...take.align, to: 't1', path } : null,
    }));
    const fitting = (image: Part['image']) => ({
      ...image,
      voices: withImpulses(image, () => recordings[2].hash).voices.map((voice, n) => ({
        ...voice,
        id: `v${n + 1}`,
        take: 1 + (n % takes.length),
      })),
    });
    return {
      ...part,
      takes,
      image: fitting(part.image),
      drafts: Object.fromEntries(
        Object.entries(part.drafts).map(([number, draft]) => [number, fitting(draft)]),
      ),
      frozen: part.frozen && { ...part.frozen, recording: recordings[2].hash },
      draftMoves: Object.fromEntries(
        Object.entries(part.draftMoves).map(([number, moves]) => [
          number,
          moves.slice(0, 2).map(({ curve }, n): ImageMove => {
            const parameter = n === 0 ? 'widthPercent' : 'panPercent';
            return { of: n === 0 ? null : 'v1', parameter, curve: within(curve, parameter) };
          }),
        ]),
      ),
    };
  });

/** Moves of whatever may move, each of something else, as far as each may go. */
function anyMoves({ moves, rooms }: Song): Move[] {
  const targets = [
    ...movable.part.map((parameter) => partTarget('p0', parameter)),
    ...movable.voice.map((parameter) => voiceTarget('p0', 'v1', parameter)),
    ...movable.voice.map((parameter) => voiceTarget('p0', 'v2', parameter)),
    ...rooms.slice(0, 1).flatMap(({ id }) => [levelTarget('room', id), feedTarget(id, 'p0')]),
    ...rooms.slice(1, 2).map(({ id }) => feedTarget(id, rooms[0].id)),
  ];
  return moves.slice(0, 3).map(({ curve, ...move }, n) => {
    // What is drawn decides which: the first ones are spread over all of them.
    const target = targets[(n * 5 + JSON.stringify(curve).length) % targets.length];
    return { ...move, target, curve: within(curve, target.parameter) };
  });
}

/** A curve that goes no further than what it moves may. */
function within(curve: Move['curve'], parameter: MovingParameter): Move['curve'] {
  const { min, max } = movingParameters[parameter];
  if (curve.kind !== 'points') return curve;
  const points = curve.points.map((point) => ({
    ...point,
    by: Math.min(max, Math.max(min, point.by)),
  }));
  return { ...curve, points };
}

/** Any song that passes: whatever values its parts have, with a bed, groups, moves and a tempo or without. */
export const anySong: fc.Arbitrary<Song> = fc
  .tuple(anyOf(songDescription), fc.array(anyPart, { minLength: 1, maxLength: 3 }), fc.boolean())
  .map(([song, parts, grouped]): Song => {
    const named = parts.map((part, n) => ({ ...part, id: `p${n}` }));
    const partOrder = named.map(({ id }) => id);
    return {
      ...song,
      rateHz,
      recordings: Object.fromEntries(recordings.map((recording) => [recording.hash, recording])),
      parts: Object.fromEntries(named.map((part) => [part.id, part])),
      partOrder,
      bed: song.bed && { ...song.bed, recording: recordings[2].hash },
      groups: song.groups.slice(0, 2).map((group, n) => ({
        ...group,
        id: `g${n}`,
        partIds: grouped ? partOrder.slice(n, n + 1) : [],
        // The first one lies in the second.
        parentId: n === 0 && song.groups.length > 1 ? 'g1' : null,
      })),
      rooms: song.rooms.slice(0, 2).map((room, n) => ({
        ...room,
        // The second one is fed by the first, which gives back into a group.
        fromRooms: n === 1 ? [{ roomId: song.rooms[0].id, levelDb: -3 }] : [],
        groupId: n === 0 && song.groups.length > 0 ? 'g0' : null,
        frozen: room.frozen && { ...room.frozen, recording: recordings[2].hash },
        own: { ...room.own, recording: room.own.recording && recordings[2].hash },
        // The time to −120 dB is made whole, in a law that runs often.
        decayS: Math.min(0.4, room.decayS),
        echo: {
          ...room.echo,
          feedbackPercent: Math.min(20, room.echo.feedbackPercent),
        },
        feeds: room.feeds.slice(0, 3).map((feed, n) => ({
          ...feed,
          partId: partOrder[n % partOrder.length],
          voiceId: feed.from === 'voice' ? 'v1' : null,
        })),
      })),
      moves: anyMoves(song),
    };
  })
  .filter((song) => checkSong(song).ok);
