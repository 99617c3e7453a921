import { usualTempo, type Tempo } from '../moves/tempo.ts';
import { clampParameter } from '../parameters/parameter.ts';
import { echoParameters } from '../parameters/tables.ts';
import type { Room } from './room.ts';

/** A room whose echo is set in beats, in ms; by the tempo in which the song begins. The same one where there is nothing in beats. */
export function inTempo(room: Room, tempo: Tempo | null): Room {
  const { beats } = room.echo;
  if (room.kind !== 'echo' || beats === null) return room;
  const [{ bpm }] = tempo ?? usualTempo;
  const timeMs = clampParameter(echoParameters.timeMs, (beats * 60_000) / bpm);
  return { ...room, echo: { ...room.echo, timeMs } };
}
