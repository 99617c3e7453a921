import { isSame } from '../parameters/same.ts';
import { Biquad, type BiquadCoefficients } from '../signal/biquad.ts';
import { highPass, lowPass } from '../signal/filters.ts';
import { filterMemory } from '../signal/memory.ts';
import { hushed } from './hushed.ts';
import type { AnySound, Ringing, Sides } from './room.ts';

const { ceil, log, max, min, round } = Math;

type EchoSettings = AnySound['echo'];

/** Feedback and crossing go to where they are set to by this share each frame: within some 10 ms. */
const towards = 0.004;
/** No wider than half the rate allows. */
const highestShare = 0.45;

/** From one time to another, where the tempo changes: as long as any gain takes, in s. */
const goesOverS = 0.02;

/** How late each side comes back, in frames. */
export function echoFrames(
  { timeMs, ratioPercent }: Pick<EchoSettings, 'timeMs' | 'ratioPercent'>,
  rateHz: number,
): readonly [number, number] {
  const left = max(1, round((timeMs * rateHz) / 1000));
  return [left, max(1, round((left * ratioPercent) / 100))];
}

/** What is lost each time round. */
function toneSections(
  { lowCutHz, highCutHz }: EchoSettings,
  rateHz: number,
): readonly BiquadCoefficients[] {
  return [
    ...(lowCutHz === null ? [] : [highPass(lowCutHz, Math.SQRT1_2, rateHz)]),
    ...(highCutHz === null || highCutHz >= highestShare * rateHz
      ? []
      : [lowPass(highCutHz, Math.SQRT1_2, rateHz)]),
  ];
}

/** How late each side comes back from a frame of the song on. */
interface Late {
  readonly from: number;
  readonly frames: readonly [number, number];
}

/** No two of them come nearer to each other than it takes to go over: what changes sooner goes over with the one before. */
function latenesses({ echo, times }: AnySound, rateHz: number): readonly Late[] {
  const found: Late[] = [];
  for (const { atS, timeMs } of times ?? [{ atS: 0, timeMs: echo.timeMs }]) {
    const at = round(atS * rateHz);
    const before = found.at(-1);
    const soon = before !== undefined && at - before.from < goesOverS * rateHz;
    if (soon) found.pop();
    found.push({ from: soon ? before.from : at, frames: echoFrames({ ...echo, timeMs }, rateHz) });
  }
  return found;
}

/** The longest or the shortest of both sides, in frames. */
const extreme = (late: readonly Late[], of: (...values: number[]) => number) =>
  of(...late.flatMap(({ frames }) => frames));

/** How long an echo remembers what went in, to −120 dB, in frames. */
export function echoMemory(sound: AnySound, rateHz: number): number {
  const { echo } = sound;
  const { feedbackPercent } = echo;
  const times = feedbackPercent === 0 ? 0 : ceil(log(1e-6) / log(feedbackPercent / 100));
  // What rings on in its tone does so over what is already softer.
  const rings = feedbackPercent === 0 ? 0 : 2 * filterMemory(toneSections(echo, rateHz));
  return (extreme(latenesses(sound, rateHz), max) + 1) * (times + 1) + rings;
}

/** Two delays, one for each side, that feed themselves and each other; each time round a tone is lost. */
export class Echo implements Ringing {
  readonly #key: string;
  readonly #late: readonly Late[];
  readonly #times: AnySound['times'];
  /** It goes over from one to the next by so much each frame. */
  readonly #slope: number;
  readonly #lines: Sides;
  readonly #masks: readonly [number, number];
  readonly #filters: readonly (readonly Biquad[])[];
  readonly #stretch: number;
  readonly #kept: Sides;
  #at = 0;
  #feedback = 0;
  #cross = 0;
  #feedbackGoal = 0;
  #crossGoal = 0;

  constructor(sound: AnySound, rateHz: number) {
    const { echo } = sound;
    this.#key = keyOf(sound);
    this.#late = latenesses(sound, rateHz);
    this.#times = sound.times;
    this.#slope = 1 / (goesOverS * rateHz);
    const rooms = ([0, 1] as const).map((side) => {
      const longest = max(...this.#late.map(({ frames }) => frames[side]));
      return 2 ** ceil(Math.log2(longest + 1));
    });
    this.#lines = [new Float64Array(rooms[0]), new Float64Array(rooms[1])];
    this.#masks = [rooms[0] - 1, rooms[1] - 1];
    const sections = toneSections(echo, rateHz);
    this.#filters = [0, 1].map(() => sections.map((section) => new Biquad(section)));
    // What comes out was put in before.
    this.#stretch = min(128, extreme(this.#late, min));
    this.#kept = [new Float64Array(this.#stretch), new Float64Array(this.#stretch)];
    this.aim(sound);
    this.settle();
  }

  fits(sound: AnySound): boolean {
    return keyOf(sound) === this.#key && isSame(sound.times, this.#times);
  }

  aim({ echo }: AnySound): void {
    this.#feedbackGoal = echo.feedbackPercent / 100;
    this.#crossGoal = echo.crossPercent / 100;
  }

  settle(): void {
    this.#feedback = this.#feedbackGoal;
    this.#cross = this.#crossGoal;
  }

  clear(): void {
    this.settle();
    for (const line of this.#lines) line.fill(0);
    for (const side of this.#filters) for (const filter of side) filter.clear();
  }

  process(
    left: Float64Array,
    right: Float64Array,
    [earlyLeft, earlyRight]: Sides,
    late: Sides,
    count: number,
    frame: number,
  ): void {
    earlyLeft.fill(0, 0, count);
    earlyRight.fill(0, 0, count);
    for (let from = 0; from < count; from += this.#stretch)
      this.#round(left, right, late, from, min(count - from, this.#stretch), frame + from);
    this.#at = (this.#at + count) & 0x3fffffff;
  }

  /** The last of the latenesses that hold at a frame. */
  #heldAt(frame: number): number {
    let low = 0;
    let high = this.#late.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (this.#late[middle].from <= frame) low = middle;
      else high = middle - 1;
    }
    return low;
  }

  /** What comes back of a side: by where the song is, and nothing else, so that it is the same from wherever it is played. */
  #read(side: number, at: number, count: number, frame: number): void {
    const line = this.#lines[side];
    const mask = this.#masks[side];
    const kept = this.#kept[side];
    for (let n = 0; n < count;) {
      const held = this.#heldAt(frame + n);
      const now = this.#late[held];
      const next = this.#late[held + 1]?.from ?? Infinity;
      const before = this.#late[max(0, held - 1)].frames[side];
      const own = now.frames[side];
      for (; n < count && frame + n < next; n++) {
        const value = line[(at + n - own) & mask];
        const w = held > 0 ? (frame + n - now.from) * this.#slope : 1;
        if (w >= 1) kept[n] = value;
        else {
          const old = line[(at + n - before) & mask];
          kept[n] = old + w * (value - old);
        }
      }
    }
  }

  #round(
    left: Float64Array,
    right: Float64Array,
    late: Sides,
    from: number,
    count: number,
    frame: number,
  ): void {
    const at = this.#at + from;
    for (let side = 0; side < 2; side++) {
      const kept = this.#kept[side];
      const out = late[side];
      this.#read(side, at, count, frame);
      for (let n = 0; n < count; n++) out[from + n] = kept[n];
      for (const filter of this.#filters[side]) filter.process(kept, kept, count);
    }
    const [keptLeft, keptRight] = this.#kept;
    const [lineLeft, lineRight] = this.#lines;
    const [maskLeft, maskRight] = this.#masks;
    for (let n = 0; n < count; n++) {
      this.#feedback += towards * (this.#feedbackGoal - this.#feedback);
      this.#cross += towards * (this.#crossGoal - this.#cross);
      const l = keptLeft[n];
      const r = keptRight[n];
      const own = this.#feedback * (1 - this.#cross);
      const other = this.#feedback * this.#cross;
      lineLeft[(at + n) & maskLeft] = hushed(left[from + n] + own * l + other * r);
      lineRight[(at + n) & maskRight] = hushed(right[from + n] + own * r + other * l);
    }
  }
}

/** What another echo has to be made for. */
function keyOf({ kind, echo: { timeMs, ratioPercent, lowCutHz, highCutHz } }: AnySound): string {
  return JSON.stringify([kind, timeMs, ratioPercent, lowCutHz, highCutHz]);
}
