import type { Character } from './character.ts';

const { abs, cos, hypot, PI, round, sin, sqrt } = Math;

/** A first reflection: how late it comes, and how loud on each side. */
export interface Reflection {
  readonly frames: number;
  readonly left: number;
  readonly right: number;
}

const soundMPerS = 343;
/** Images behind so many walls, one after the other. */
const order = 3;
/** The loudest of them. */
const most = 16;
/** Where both sources and the listener are, as shares of width, length and height: nothing lies in the middle. */
const listener = [0.47, 0.36, 0.41] as const;
const sources = { left: [0.29, 0.71, 0.45], right: [0.68, 0.74, 0.52] } as const;

/**
 * What the walls of a box give back of one source, the direct sound left out: mirror images (Allen and Berkley, J. Acoust. Soc.
 * Am. 65, 1979), each on the side from which it comes, at equal power. All of them together have the energy of 1.
 * @param size of the box against its usual one
 */
export function reflections(
  { box, walls }: Character,
  source: 'left' | 'right',
  size: number,
  rateHz: number,
): readonly Reflection[] {
  if (!box) return [];
  const sides = box.map((metres) => metres * size);
  const [hx, hy, hz] = sides.map((side, n) => side * listener[n]);
  const direct = hypot(...sides.map((side, n) => side * (sources[source][n] - listener[n])));
  const found: Reflection[] = [];
  const along = (axis: number, n: number) => {
    const at = sides[axis] * sources[source][axis];
    // Every other image is mirrored.
    return n * sides[axis] + (n % 2 === 0 ? at : sides[axis] - at);
  };
  for (let x = -order; x <= order; x++)
    for (let y = -order; y <= order; y++)
      for (let z = -order; z <= order; z++) {
        const bounces = abs(x) + abs(y) + abs(z);
        if (bounces === 0 || bounces > order) continue;
        const [dx, dy, dz] = [along(0, x) - hx, along(1, y) - hy, along(2, z) - hz];
        const metres = hypot(dx, dy, dz);
        const angle = ((1 + dx / metres) * PI) / 4;
        const gain = walls ** bounces / metres;
        found.push({
          frames: Math.max(1, round(((metres - direct) / soundMPerS) * rateHz)),
          left: gain * cos(angle),
          right: gain * sin(angle),
        });
      }
  const loudest = found
    .sort((a, b) => b.left ** 2 + b.right ** 2 - a.left ** 2 - a.right ** 2)
    .slice(0, most);
  const energy = loudest.reduce((sum, { left, right }) => sum + left ** 2 + right ** 2, 0);
  const scale = 1 / sqrt(energy);
  return loudest.map(({ frames, left, right }) => ({
    frames,
    left: left * scale,
    right: right * scale,
  }));
}
