import type { ChainsApart, ChainsToCompare, EvenedChains } from '@pannet/core/findings/chains';
import type { Outcome } from '@pannet/core/outcome';
import type { KnownSplices } from '../playback/known-splices.ts';
import { question } from '../workers/ask.ts';

/** Two voices that are set beside each other, or made even. */
export interface ChainsRequest extends ChainsToCompare {
  readonly what: 'compare' | 'even';
  readonly splices: KnownSplices;
}

const start = () => new Worker(new URL('./chains.worker.ts', import.meta.url), { type: 'module' });

export const comparingChains = question<ChainsRequest, ChainsApart>(start);
export const eveningChains = question<ChainsRequest, Outcome<EvenedChains>>(start);
