import { checkParameter } from '../parameters/parameter.ts';
import { movingParameters, type MovingParameter } from '../parameters/tables.ts';
import { failure, type Outcome } from '../outcome.ts';
import type { Curve } from '../moves/curve.ts';
import type { ImageMove } from './along.ts';
import type { MoveTarget } from './moves-of.ts';
import type { Song } from './song.ts';

/** What of each kind of thing may move along the song. */
export const movable = {
  part: ['levelDb', 'flanksDb', 'widthPercent', 'imagePercent'],
  group: ['levelDb'],
  voice: ['levelDb', 'panPercent', 'delayMs', 'highCutOctaves', 'peakDb', 'driveDb'],
  room: ['levelDb'],
  feed: ['levelDb'],
} as const satisfies Record<MoveTarget['kind'], readonly MovingParameter[]>;

/**
 * What a song's moves may not be. A voice or a feed that is gone may come back with an undo or another draft: a move of it waits, and does nothing
 * meanwhile.
 * @returns null where they may
 */
export function refusedMove({ moves, groups, rooms }: Song, partIds: ReadonlySet<string>) {
  const known = {
    part: partIds,
    voice: partIds,
    group: new Set(groups.map(({ id }) => id)),
    room: new Set(rooms.map(({ id }) => id)),
  };
  const seen = new Set<string>();
  for (const [n, { target, curve }] of moves.entries()) {
    const place = `moves[${n}]`;
    const { kind, id, of, parameter } = target;
    if (!known[kind === 'feed' ? 'room' : kind].has(id))
      return refuse('A move names a part, a group or a room of the song.', `${place}.target.id`);
    if ((of !== null) !== (kind === 'voice' || kind === 'feed'))
      return refuse(
        'A move of a voice names the voice, one of a feed the part or room that feeds; any other one names neither.',
        `${place}.target.of`,
      );
    const refused = refusedCurve(kind, parameter, curve, {
      parameter: `${place}.target.parameter`,
      curve: `${place}.curve`,
    });
    if (refused) return refused;
    const key = targetKey(target);
    if (seen.has(key))
      return refuse('One move at most moves one setting of one thing.', `${place}.target`);
    seen.add(key);
  }
  return null;
}

/** What the moves of an image may not be. @returns null where they may */
export function refusedImageMoves(moves: readonly ImageMove[], place: string) {
  const seen = new Set<string>();
  for (const [n, { of, parameter, curve }] of moves.entries()) {
    const refused =
      refusedCurve(of === null ? 'part' : 'voice', parameter, curve, {
        parameter: `${place}[${n}].parameter`,
        curve: `${place}[${n}].curve`,
      }) ??
      (of === null && parameter === 'levelDb'
        ? refuse('The level of a part is no part of its image.', `${place}[${n}].parameter`)
        : null);
    if (refused) return refused;
    const key = JSON.stringify([of, parameter]);
    if (seen.has(key))
      return refuse('One move at most moves one setting of one thing.', `${place}[${n}]`);
    seen.add(key);
  }
  return null;
}

/** Whether a thing's setting may not move, or not so. */
function refusedCurve(
  kind: MoveTarget['kind'],
  parameter: MovingParameter,
  curve: Curve,
  place: { readonly parameter: string; readonly curve: string },
): Outcome<never> | null {
  if (!(movable[kind] as readonly MovingParameter[]).includes(parameter))
    return refuse(
      `Of a ${kind} these may move: ${movable[kind].join(', ')}; it was ${parameter}.`,
      place.parameter,
    );
  if (curve.kind !== 'points') return null;
  for (const [k, { by }] of curve.points.entries()) {
    const checked = checkParameter(
      movingParameters[parameter],
      by,
      `${place.curve}.points[${k}].by`,
    );
    if (!checked.ok) return checked;
  }
  return null;
}

/** The same for the same setting of the same thing. */
function targetKey({ kind, id, of, parameter }: MoveTarget): string {
  return JSON.stringify([kind, id, of, parameter]);
}

function refuse(sentence: string, place: string): Outcome<never> {
  return failure('bad-move', sentence, place);
}
