import { memoryS } from './absorption.ts';
import { Echo, echoMemoryS } from './echo.ts';
import { Network } from './network.ts';
import { isNetwork, type AnySound, type Ringing } from './room.ts';

/** What makes a room sound. */
export function ringingOf(sound: AnySound, rateHz: number): Ringing {
  return isNetwork(sound) ? new Network(sound, rateHz) : new Echo(sound, rateHz);
}

/** How long it remembers what went in, to −120 dB, in s; its pre-delay not counted. */
export function ringingS(sound: AnySound): number {
  return isNetwork(sound) ? memoryS(sound) : echoMemoryS(sound.echo);
}
