import { usualTempo, type Tempo } from '../moves/tempo.ts';
import { clampParameter } from '../parameters/parameter.ts';
import { echoParameters } from '../parameters/tables.ts';
import type { EchoTime, Room } from './room.ts';

/**
 * A room whose echo is set in beats, in ms: as it begins, and, where the tempo changes what that comes to, along the song. The same one where
 * there is nothing in beats.
 */
export function inTempo<Of extends Room>(
  room: Of,
  tempo: Tempo | null,
): Of & { readonly times?: readonly EchoTime[] } {
  const { beats } = room.echo;
  if (room.kind !== 'echo' || beats === null) return room;
  const times: EchoTime[] = [];
  for (const { atS, bpm } of tempo ?? usualTempo) {
    const timeMs = clampParameter(echoParameters.timeMs, (beats * 60_000) / bpm);
    if (times.at(-1)?.timeMs !== timeMs) times.push({ atS, timeMs });
  }
  const echo = { ...room.echo, timeMs: times[0].timeMs };
  return { ...room, echo, ...(times.length > 1 ? { times } : {}) };
}
