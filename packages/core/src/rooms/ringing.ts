import { memoryS } from './absorption.ts';
import { Echo, echoMemory } from './echo.ts';
import { Network } from './network.ts';
import { Spring, springMemory } from './spring.ts';
import { Convolved, Silent } from './convolved.ts';
import { isNetwork, type AnySound, type Ringing } from './room.ts';

/** What makes a room sound. */
export function ringingOf(sound: AnySound, rateHz: number): Ringing {
  if (isNetwork(sound)) return new Network(sound, rateHz);
  if (sound.kind === 'own')
    return sound.response ? new Convolved(sound.response, sound, rateHz) : new Silent();
  return sound.kind === 'spring' ? new Spring(sound, rateHz) : new Echo(sound, rateHz);
}

/** How long it remembers what went in, to −120 dB, in frames; its pre-delay not counted. */
export function ringingMemory(sound: AnySound, rateHz: number): number {
  if (isNetwork(sound)) return Math.ceil(memoryS(sound) * rateHz);
  if (sound.kind === 'own') return sound.response?.frames ?? 0;
  return sound.kind === 'spring' ? springMemory(sound, rateHz) : echoMemory(sound, rateHz);
}

/** How long it is heard after what went in has ended, to −60 dB, in frames. Its memory goes to −120; a recording is heard as long as it is. */
export function ringingTail(sound: AnySound, rateHz: number): number {
  const memory = ringingMemory(sound, rateHz);
  return sound.kind === 'own' ? memory : Math.ceil(memory / 2);
}
