import { fourfoldFft, type Four, type FourfoldFft } from '../signal/fourfold-fft.ts';
import { hannWindow } from '../signal/spectrum.ts';
import { openRoom, transforms, type Room } from '../signal/transforms.ts';

const { ceil, max, min, round, atan2, cos, sin, PI } = Math;

/** So many windows that follow each other go back through one transform. */
export const windowsAtOnce = 4;

/** A spectrum as it was sounded, and as it was a hop before. */
interface Turned {
  now: Room;
  before: Room;
}

/** The least by which a window of the take may lie nearer to the next one than those of what is sounded: a ratio of frequencies. */
export const leastRatio = 0.4;

/**
 * What is worked in: one for each size in each thread, so that it need not be given back. What lies in it is its user's until they let something else run.
 */
export class VocoderRooms {
  readonly fft: FourfoldFft;
  readonly window: Room;
  /** What of the take two windows and those a hop before them see. */
  readonly seen: Room;
  /** The spectra of those: of two windows that follow each other, and of those a hop before each. */
  readonly read: Four<Room>;
  /** What is sounded, of windows that follow each other. */
  readonly four: Four<Room>;
  readonly own: Turned;
  readonly next: Turned;
  readonly power: Room;
  readonly peaks: Room;
  readonly turns: Room;

  constructor(size: number, hop: number) {
    const spectrum = () => openRoom(size + 2);
    this.fft = fourfoldFft(size);
    this.window = openRoom(size);
    this.window.values.set(hannWindow(size));
    this.seen = openRoom(ceil((size + hop + hop / leastRatio) / 2) + 2);
    this.read = this.fft.openSpectra();
    this.four = this.fft.openSpectra();
    this.own = { now: spectrum(), before: spectrum() };
    this.next = { now: spectrum(), before: spectrum() };
    this.power = openRoom(size / 2 + 2);
    this.peaks = openRoom(size / 2 + 2);
    this.turns = openRoom(size + 2);
  }
}

/**
 * The spectra of one stretch of tuned sound, window by window: the take's, each peak turned by a phase of its own. Bins 0 to size/2, re and im interleaved.
 * Its loops are those of loops/vocoder.ts.
 */
export class Vocoder {
  readonly #size: number;
  readonly #hop: number;
  readonly #rooms: VocoderRooms;
  #gone = 0;
  /** What was sounded last: of this stretch, and of the one that follows. */
  readonly #own: Float64Array;
  readonly #next: Float64Array;
  /** By which angle the following stretch is ahead, bin by bin: it goes on from window to window without a jump. */
  readonly #apart: Float64Array;

  /**
   * @param size of its windows, a power of two
   * @param hop from one window of what is sounded to the next; from one of the take to the next it is `leastRatio` of that at least
   */
  constructor(size: number, hop: number, rooms: VocoderRooms) {
    this.#size = size;
    this.#hop = hop;
    this.#rooms = rooms;
    this.#own = new Float64Array(size + 2);
    this.#next = new Float64Array(size + 2);
    this.#apart = new Float64Array(size / 2 + 1);
  }

  /** Takes the rooms up, before it goes on; until it leaves them they are its own. */
  enter(): void {
    this.#rooms.own.now.values.set(this.#own);
    this.#rooms.next.now.values.set(this.#next);
  }

  leave(): void {
    this.#own.set(this.#rooms.own.now.values);
    this.#next.set(this.#rooms.next.now.values);
  }

  /** Transforms the windows that begin at two places of the input, and those a hop before them. What the input does not hold is silence. */
  read(input: Float32Array, one: number, other: number): void {
    const from = one - this.#hop;
    const count = other + this.#size - from;
    const { fft, seen: room, window, read } = this.#rooms;
    const seen = room.singles;
    const begin = min(count, max(0, -from));
    const there = input.subarray(from + begin, max(0, from + count));
    seen.fill(0, 0, begin);
    seen.set(there, begin);
    seen.fill(0, begin + there.length, count);
    const at = (place: number) => room.at + 4 * (place - from);
    fft.spectraOfWindows([at(one), at(other), at(from), at(other - this.#hop)], window, read);
  }

  /**
   * Goes on by one window.
   * @param begins whether the stretch begins here; `follows` the next one
   * @param gliding whether the next one has begun
   * @param share how far the phases have gone over to its
   */
  go(begins: boolean, follows: boolean, gliding: boolean, share: number): void {
    const { read, four, own, next, power, peaks, turns } = this.#rooms;
    const which = this.#gone % 2;
    const here = read[which];
    const earlier = read[which + 2];
    const sounded = four[this.#gone++ % windowsAtOnce];
    for (const turned of [own, next]) [turned.now, turned.before] = [turned.before, turned.now];
    if (begins) own.before.values.set(earlier.values);
    if (follows) {
      next.before.values.set(earlier.values);
      this.#apart.fill(0);
    }
    const last = this.#size / 2;
    const count = transforms.findPeaks(here.at, power.at, last, peaks.at);
    this.#turn(own, here, earlier, count);
    if (!gliding) {
      sounded.values.set(own.now.values);
      return;
    }
    this.#turn(next, here, earlier, count);
    this.#glide(count, share, follows);
    transforms.turn(peaks.at, count, turns.at, own.now.at, sounded.at);
  }

  /** Turns the bins of each peak by one angle: as far as they were turned a hop ago. */
  #turn({ now, before }: Turned, here: Room, earlier: Room, count: number): void {
    const { power, peaks, turns } = this.#rooms;
    const last = this.#size / 2;
    transforms.findTurns(peaks.at, count, earlier.at, before.at, power.at, last, turns.at);
    transforms.turn(peaks.at, count, turns.at, here.at, now.at);
  }

  /** By which angle each peak is turned from its phase in this stretch towards that in the next. */
  #glide(count: number, share: number, follows: boolean): void {
    const own = this.#rooms.own.now.values;
    const next = this.#rooms.next.now.values;
    const peaks = this.#rooms.peaks.wholes;
    const turns = this.#rooms.turns.values;
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
    this.#rooms.fft.addFromSpectra(this.#rooms.four, window, at, 8 * this.#hop, count);
  }
}
