import { inPieces, openRoom, transforms } from '../signal/transforms.ts';
import type { SideSums } from './sides.ts';

const { ceil, round } = Math;

/** What both sides hold, on the whole and from moment to moment. */
export interface SidesInTime {
  readonly sums: SideSums;
  /** Moments are about a millisecond long each. */
  readonly momentMs: number;
  /** Σ of the squares of each moment. */
  readonly left: Float64Array;
  readonly right: Float64Array;
}

/** So many moments are summed up before the next lie in the memory that does it. */
const momentsAtOnce = 128;
const sums = openRoom(3 * momentsAtOnce);

/** @param right as long as the left one */
export function sidesInTime(left: Float32Array, right: Float32Array, rateHz: number): SidesInTime {
  const momentFrames = 2 * round(rateHz / 2000);
  const moments = ceil(left.length / momentFrames);
  const [ofLeft, ofRight] = [new Float64Array(moments), new Float64Array(moments)];
  let [allLeft, allRight, cross] = [0, 0, 0];
  const pieces = [0, 1].map(() => openRoom((momentsAtOnce * momentFrames) / 2));
  inPieces(pieces, [left, right], (_, from) => {
    const first = from / momentFrames;
    transforms.squaresOfMoments(pieces[0].at, pieces[1].at, momentFrames, momentsAtOnce, sums.at);
    const { values } = sums;
    for (let n = first, at = 0; at < values.length && n < moments; n++, at += 3) {
      allLeft += ofLeft[n] = values[at];
      allRight += ofRight[n] = values[at + 1];
      cross += values[at + 2];
    }
  });
  for (const piece of pieces) piece.close();
  return {
    sums: { left: allLeft, right: allRight, cross },
    momentMs: (momentFrames * 1000) / rateHz,
    left: ofLeft,
    right: ofRight,
  };
}
