import { fourfoldFft, type FourfoldFft } from '../signal/fourfold-fft.ts';
import { hannWindow } from '../signal/spectrum.ts';
import { openRoom, transforms, type Room } from '../signal/transforms.ts';

const { max, min, round, atan2, cos, sin, PI } = Math;

type Four<T> = readonly [T, T, T, T];

/** So many windows that follow each other go back through one transform. */
export const windowsAtOnce = 4;

/** A spectrum as it was sounded, and as it was a hop before. */
interface Turned {
  now: Room;
  before: Room;
}

/**
 * The spectra of one stretch of tuned sound, window by window: the take's, each peak turned by a phase of its own. Bins 0 to size/2, re and im interleaved.
 * Its loops are those of loops/pads.ts. To be closed by whoever made it.
 */
export class Vocoder {
  readonly #size: number;
  readonly #hop: number;
  readonly #fft: FourfoldFft;
  readonly #rooms: Room[] = [];
  readonly #window: Room;
  /** What of the take two windows and those a hop before them see. */
  readonly #seen: Room;
  /** The spectra of those: of two windows that follow each other, and of those a hop before each. */
  readonly #read: Four<Room>;
  /** What is sounded, of windows that follow each other. */
  readonly #four: Four<Room>;
  #gone = 0;
  /** What is sounded: of this stretch, and of the one that follows. */
  readonly #own: Turned;
  readonly #next: Turned;
  /** By which angle the following stretch is ahead, bin by bin: it goes on from window to window without a jump. */
  readonly #apart: Float64Array;
  readonly #power: Room;
  readonly #peaks: Room;
  readonly #turns: Room;

  /**
   * @param size of its windows, a power of two
   * @param hop from one window of what is sounded to the next
   * @param mostStep from one window of the take to the next, at most
   */
  constructor(size: number, hop: number, mostStep: number) {
    this.#size = size;
    this.#hop = hop;
    this.#fft = fourfoldFft(size);
    const opened = (count: number) => {
      const room = openRoom(count);
      this.#rooms.push(room);
      return room;
    };
    const spectrum = () => opened(size + 2);
    const four = (): Four<Room> => [spectrum(), spectrum(), spectrum(), spectrum()];
    this.#window = opened(size);
    this.#window.values.set(hannWindow(size));
    this.#seen = opened((size + hop + mostStep) / 2 + 1);
    this.#read = four();
    this.#four = four();
    this.#own = { now: spectrum(), before: spectrum() };
    this.#next = { now: spectrum(), before: spectrum() };
    this.#apart = new Float64Array(size / 2 + 1);
    this.#power = opened(size / 2 + 2);
    this.#peaks = opened(size / 2 + 2);
    this.#turns = opened(size + 2);
  }

  close(): void {
    for (const room of this.#rooms) room.close();
  }

  /** Transforms the windows that begin at two places of the input, and those a hop before them. What the input does not hold is silence. */
  read(input: Float32Array, one: number, other: number): void {
    const from = one - this.#hop;
    const count = other + this.#size - from;
    const seen = this.#seen.singles;
    const begin = min(count, max(0, -from));
    const there = input.subarray(from + begin, max(0, from + count));
    seen.fill(0, 0, begin);
    seen.set(there, begin);
    seen.fill(0, begin + there.length, count);
    const at = (place: number) => this.#seen.at + 4 * (place - from);
    this.#fft.spectraOfWindows(
      [at(one), at(other), at(from), at(other - this.#hop)],
      this.#window,
      this.#read,
    );
  }

  /**
   * Goes on by one window.
   * @param begins whether the stretch begins here; `follows` the next one
   * @param gliding whether the next one has begun
   * @param share how far the phases have gone over to its
   */
  go(begins: boolean, follows: boolean, gliding: boolean, share: number): void {
    const which = this.#gone % 2;
    const here = this.#read[which];
    const earlier = this.#read[which + 2];
    const sounded = this.#four[this.#gone++ % windowsAtOnce];
    for (const turned of [this.#own, this.#next])
      [turned.now, turned.before] = [turned.before, turned.now];
    if (begins) this.#own.before.values.set(earlier.values);
    if (follows) {
      this.#next.before.values.set(earlier.values);
      this.#apart.fill(0);
    }
    const last = this.#size / 2;
    const count = transforms.findPeaks(here.at, this.#power.at, last, this.#peaks.at);
    this.#turn(this.#own, here, earlier, count);
    if (!gliding) {
      sounded.values.set(this.#own.now.values);
      return;
    }
    this.#turn(this.#next, here, earlier, count);
    this.#glide(count, share, follows);
    transforms.turn(this.#peaks.at, count, this.#turns.at, this.#own.now.at, sounded.at);
  }

  /** Turns the bins of each peak by one angle: as far as they were turned a hop ago. */
  #turn({ now, before }: Turned, here: Room, earlier: Room, count: number): void {
    const [peaks, turns, last] = [this.#peaks.at, this.#turns.at, this.#size / 2];
    transforms.findTurns(peaks, count, earlier.at, before.at, this.#power.at, last, turns);
    transforms.turn(peaks, count, turns, here.at, now.at);
  }

  /** By which angle each peak is turned from its phase in this stretch towards that in the next. */
  #glide(count: number, share: number, follows: boolean): void {
    const own = this.#own.now.values;
    const next = this.#next.now.values;
    const peaks = this.#peaks.wholes;
    const turns = this.#turns.values;
    const apart = this.#apart;
    for (let n = 0, from = 0; n < count; n++) {
      const peak = peaks[2 * n];
      const to = peaks[2 * n + 1];
      const k = 2 * peak;
      const re = next[k] * own[k] + next[k + 1] * own[k + 1];
      const im = next[k + 1] * own[k] - next[k] * own[k + 1];
      let angle = atan2(im, re);
      if (!follows) angle += 2 * PI * round((apart[peak] - angle) / (2 * PI));
      apart.fill(angle, from, to);
      turns[2 * n] = cos(angle * share);
      turns[2 * n + 1] = sin(angle * share);
      from = to;
    }
  }

  /**
   * Adds the windows that were gone through last to a sound, each `size` times as loud as it is.
   * @param count of them, 1 to 4
   * @param at in bytes, where the first one begins in it; the others lie a hop apart
   */
  addTo(at: number, window: Room, count: number): void {
    this.#fft.addFromSpectra(this.#four, window, at, 8 * this.#hop, count);
  }
}
