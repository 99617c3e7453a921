import { splicedAs, vocodedAs, wanders } from '../voices/voice.ts';
import { isFrozen } from './frozen.ts';
import type { Part, Room, Song } from './song.ts';

/**
 * How much of a core playing takes, in percent, about: `./pannet bench` on one machine, rounded. Another machine takes more or
 * less: what costs more than what is all that is told of it.
 */
const percents = { voice: 0.1, wandering: 0.1, spliced: 0.5, vocoded: 2, chain: 2.2 } as const;
const ofRoom: Readonly<Record<Room['kind'], number>> = {
  hall: 2,
  chamber: 2,
  plate: 2,
  ambience: 2,
  spring: 2,
  echo: 0.5,
  own: 3,
};

function costOfPart({ image }: Part): number {
  // Voices behind one chain share it.
  const chains = new Set<string>();
  let percent = 0;
  for (const voice of image.voices) {
    if (voice.muted) continue;
    percent += percents.voice;
    if (splicedAs(voice)) percent += percents.spliced;
    if (vocodedAs(voice)) percent += percents.vocoded;
    if (wanders(voice)) percent += percents.wandering;
    if (voice.amp) chains.add(JSON.stringify([voice.take, voice.amp]));
  }
  return percent + chains.size * percents.chain;
}

/** What could be frozen with a gain, what costs most first; nothing that is muted, fed by nothing, or frozen as it is. */
export function costliest(song: Song): readonly (Part | Room)[] {
  const parts = song.partOrder.map((id) => song.parts[id]).filter(({ muted }) => !muted);
  const rooms = song.rooms.filter(({ muted, feeds }) => !muted && feeds.length > 0);
  const costs = [
    ...parts.map((thing) => ({ thing, percent: costOfPart(thing) })),
    ...rooms.map((thing) => ({ thing, percent: ofRoom[thing.kind] })),
  ];
  // A recording that is read costs about as much as a voice that is nothing else.
  return costs
    .filter(({ thing, percent }) => percent > 2 * percents.voice && !isFrozen(song, thing))
    .sort((a, b) => b.percent - a.percent)
    .map(({ thing }) => thing);
}
