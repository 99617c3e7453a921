import { inPieces, openRoom, transforms } from '../signal/transforms.ts';
import type { SideSums } from './sides.ts';

const stretchFrames = 8192;
const pieces = [openRoom(stretchFrames / 2), openRoom(stretchFrames / 2)];
const sums = openRoom(3);

export function sideSums(left: Float32Array, right: Float32Array): SideSums {
  let [ofLeft, ofRight, cross] = [0, 0, 0];
  inPieces(pieces, [left, right], () => {
    transforms.squares(pieces[0].at, pieces[1].at, stretchFrames, sums.at);
    const [l, r, both] = sums.values;
    ofLeft += l;
    ofRight += r;
    cross += both;
  });
  return { left: ofLeft, right: ofRight, cross };
}
