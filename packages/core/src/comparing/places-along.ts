import { sidesByBand, type BandSides } from '../measurement/across-bands.ts';
import { stereoSpectra } from '../measurement/spectra.ts';
import type { StereoSpectra } from '../measurement/stereo-spectra.ts';
import { clock, figure } from '../quantities/wording.ts';
import {
  belongTogether,
  crowdedShare,
  crowdOfParts,
  farEnough,
  farShare,
  listed,
  reachesOf,
  sharedShare,
  type PlacedPart,
  type Reach,
} from './among-parts.ts';

const { floor, max, min, round } = Math;

/** Over so long a stretch places are told at once: a bar or two, common practice. */
export const alongWindowS = 2;

/** Where something lies, from L to R and up the frequencies, window by window and over all of it. Memory does not grow with its length, but for what is told. */
export class PlacesAlong {
  readonly windows: (readonly BandSides[])[] = [];
  readonly #rateHz: number;
  readonly #left: Float32Array;
  readonly #right: Float32Array;
  #filled = 0;
  #frames = 0;
  #total: StereoSpectra | null = null;

  constructor(rateHz: number) {
    this.#rateHz = rateHz;
    const frames = round(alongWindowS * rateHz);
    this.#left = new Float32Array(frames);
    this.#right = new Float32Array(frames);
  }

  add(left: Float32Array, right: Float32Array): void {
    for (let at = 0; at < left.length;) {
      const count = min(left.length - at, this.#left.length - this.#filled);
      this.#left.set(left.subarray(at, at + count), this.#filled);
      this.#right.set(right.subarray(at, at + count), this.#filled);
      this.#filled += count;
      at += count;
      if (this.#filled === this.#left.length) this.#close();
    }
  }

  /** What is left counts as a window of its own. @returns where it lies over all of it; nothing where nothing came */
  end(): readonly BandSides[] {
    if (this.#filled > 0) this.#close();
    return this.#total ? sidesByBand(this.#total, this.#rateHz, this.#frames) : [];
  }

  #close(): void {
    const count = this.#filled;
    const [left, right] = [this.#left, this.#right].map((side) => side.subarray(0, count));
    const spectra = stereoSpectra(left, right, this.#rateHz);
    this.windows.push(sidesByBand(spectra, this.#rateHz, count));
    this.#total = this.#total ? added(this.#total, spectra) : spectra;
    this.#frames += count;
    this.#filled = 0;
  }
}

function added(a: StereoSpectra, b: StereoSpectra): StereoSpectra {
  const sum = (one: Float64Array, other: Float64Array) => one.map((value, n) => value + other[n]);
  return {
    hzPerBin: a.hzPerBin,
    left: sum(a.left, b.left),
    right: sum(a.right, b.right),
    cross: sum(a.cross, b.cross),
  };
}

/** Something of a song along time, window by window. */
export interface PlacedAlong {
  readonly id: string;
  readonly name: string;
  readonly windows: readonly (readonly BandSides[])[];
  readonly fedBy?: readonly string[];
}

/** What crowds a place, and when. */
export interface CrowdedAlong {
  readonly code: 'shared' | 'far-side';
  readonly ids: readonly string[];
  readonly names: string;
  /** How much in each window, 0 to 1. */
  readonly shares: readonly number[];
  /** From the first window to behind the last of the worst stretch. */
  readonly worst: readonly [number, number];
  readonly sentence: string;
}

/** So far under its loudest moment something is not there: common practice. */
const thereDb = 40;
/** So many are told, the gravest first. */
const mostTold = 12;

const powerOf = (reaches: readonly Reach[]) => reaches.reduce((sum, { power }) => sum + power, 0);

/** By windows, the reaches of what is there. */
function reachesAlong({ windows }: PlacedAlong): readonly (readonly Reach[])[] {
  const all = windows.map((bands) => (bands.length > 0 ? reachesOf(bands) : []));
  const least = max(0, ...all.map(powerOf)) * 10 ** (-thereDb / 10);
  return all.map((reaches) => (powerOf(reaches) > least ? reaches : []));
}

/**
 * Which parts and rooms share place and band, and where a far side is crowded, along the song.
 * @param startS where the first window begins, in s of the song
 */
export function crowdedAlong(all: readonly PlacedAlong[], startS = 0): CrowdedAlong[] {
  const placed = all.map((one) => ({ ...one, reaches: reachesAlong(one) }));
  const count = max(0, ...placed.map(({ reaches }) => reaches.length));
  const at = ({ id, name, reaches }: (typeof placed)[number], window: number): PlacedPart => ({
    id,
    name,
    reaches: reaches[window] ?? [],
    leadMs: null,
  });
  const windows = Array.from({ length: count }, (_, n) => n);
  const pairs = placed.flatMap((a, n) =>
    placed
      .slice(n + 1)
      .filter((b) => !belongTogether(a, b))
      .map((b) =>
        told(
          'shared',
          [a, b],
          windows.map((window) => sharedShare(at(a, window), at(b, window)).share),
          startS,
        ),
      ),
  );
  const sides = (['L', 'R'] as const).map((side) => {
    const out = windows.map((window) =>
      placed.filter((one) => farShare(at(one, window), side) >= farEnough),
    );
    const there = placed.filter((one) =>
      out.some((crowd) => crowd.length >= crowdOfParts && crowd.includes(one)),
    );
    const shares = out.map((crowd) =>
      crowd.length >= crowdOfParts ? min(1, crowd.length / placed.length) : 0,
    );
    return told('far-side', there, shares, startS, side);
  });
  return [...pairs, ...sides]
    .filter((row) => row !== null)
    .sort((a, b) => sumOf(b.shares) - sumOf(a.shares))
    .slice(0, mostTold);
}

const sumOf = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0);

function told(
  code: CrowdedAlong['code'],
  of: readonly PlacedAlong[],
  shares: readonly number[],
  startS: number,
  side?: 'L' | 'R',
): CrowdedAlong | null {
  const least = code === 'shared' ? crowdedShare : Number.MIN_VALUE;
  const most = max(0, ...shares);
  if (most < least) return null;
  const peak = shares.indexOf(most);
  let [from, to] = [peak, peak + 1];
  while (from > 0 && shares[from - 1] >= least) from--;
  while (to < shares.length && shares[to] >= least) to++;
  const names = listed(of.map(({ name }) => name));
  const when = `${clock(floor(startS + from * alongWindowS))}–${clock(floor(startS + to * alongWindowS))}`;
  const sentence =
    code === 'shared'
      ? `${names} share place and band at ${when}: up to ${figure(100 * most, 0)} % of the softer one.`
      : `The far ${side === 'L' ? 'left' : 'right'} is crowded at ${when}: of ${names} three or more reach there.`;
  return { code, ids: of.map(({ id }) => id), names, shares, worst: [from, to], sentence };
}
