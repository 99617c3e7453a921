// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { imul } = Math;

/**
 * A seeded generator of uniform numbers in [0, 1): the same seed gives the same sequence on every machine.
 * Mulberry32, Tommy Ettinger 2017, public domain; integer arithmetic only.
 */
export function seededRandom(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
  };
}

/** One number in [0, 1) for a seed and an index, whatever was asked before: the generator above, hashed at one place. */
export function seededHash(seed: number, index: number): number {
  return seededRandom(imul(seed, 0x9e3779b1) + imul(index + 1, 0x85ebca6b))();
}
