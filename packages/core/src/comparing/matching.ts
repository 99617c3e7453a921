import { mostPeakDbtp } from '../findings/findings.ts';
import type { Level } from '../findings/part-figures.ts';

const { max, min } = Math;

/** “heard”: equal loudness in stereo. “middle”: equal loudness of the fold, as is usual for a lead voice. */
export const matchModes = ['heard', 'middle'] as const;
export type MatchMode = (typeof matchModes)[number];

/** No match is larger: beyond it, one of both hardly sounds. */
export const mostMatchDb = 18;

export interface Matching {
  /** What each state is raised by, in dB; 0 for one that is silent. */
  readonly gainsDb: Readonly<Record<string, number>>;
  /** By how much all of them are lowered, so that none is raised over −1 dBTP. */
  readonly heldBackDb: number;
}

function loudness({ lufs, foldLufs }: Level, mode: MatchMode): number | null {
  return mode === 'heard' ? lufs : foldLufs;
}

/**
 * Gains that make all states as loud as `goal` (BS.1770). Where raising one would bring its true peak over −1 dBTP, all are
 * lowered together: they stay equal, and matching never clips. A peak that is too high as it is is not raised further.
 */
export function matchLevels(
  states: Readonly<Record<string, Level>>,
  goal: Level,
  mode: MatchMode,
): Matching {
  const target = loudness(goal, mode);
  const wanted = Object.entries(states).map(([id, level]) => {
    const own = loudness(level, mode);
    const known = target !== null && own !== null;
    const gainDb = known ? max(-mostMatchDb, min(mostMatchDb, target - own)) : 0;
    const room = max(0, mostPeakDbtp - (level.truePeakDbtp ?? -Infinity));
    return { id, gainDb, over: known ? max(0, gainDb - room) : 0, known };
  });
  const heldBackDb = max(0, ...wanted.map(({ over }) => over));
  return {
    gainsDb: Object.fromEntries(
      wanted.map(({ id, gainDb, known }) => [id, known ? gainDb - heldBackDb : 0]),
    ),
    heldBackDb,
  };
}
