import { usualTempo, type Tempo } from '../moves/tempo.ts';
import { clampParameter } from '../parameters/parameter.ts';
import { echoParameters } from '../parameters/tables.ts';
import type { EchoTime, Room } from './room.ts';

/** What a time in beats comes to along a tempo, by both: a song is compiled anew with each step of a drag, and a tempo may change two thousand times. */
const known = new WeakMap<Tempo, Map<number, readonly EchoTime[]>>();

function timesOf(beats: number, tempo: Tempo): readonly EchoTime[] {
  const ofTempo = known.get(tempo) ?? new Map<number, readonly EchoTime[]>();
  known.set(tempo, ofTempo);
  const before = ofTempo.get(beats);
  if (before) return before;
  const times: EchoTime[] = [];
  for (const { atS, bpm } of tempo) {
    const timeMs = clampParameter(echoParameters.timeMs, (beats * 60_000) / bpm);
    if (times.at(-1)?.timeMs !== timeMs) times.push({ atS, timeMs });
  }
  // What was dragged through is not kept for good.
  if (ofTempo.size >= 64) ofTempo.clear();
  ofTempo.set(beats, times);
  return times;
}

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
  const times = timesOf(beats, tempo ?? usualTempo);
  const echo = { ...room.echo, timeMs: times[0].timeMs };
  return { ...room, echo, ...(times.length > 1 ? { times } : {}) };
}
