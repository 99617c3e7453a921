import { movingTable, movingTaps } from '../signal/sinc.ts';
import { hannWindow, nextPowerOfTwo } from '../signal/spectrum.ts';
import { openRoom, transforms, type Room } from '../signal/transforms.ts';
import { leastRatio, Vocoder, VocoderRooms, windowsAtOnce } from './vocoder.ts';
import type { VocodedKind } from './voice.ts';

const { ceil, floor, max, min, round } = Math;

/**
 * Of pads, windows a third of a second long: partials of a chord lie many bins apart, and are held apart. Of chords, some 85 ms: tones that lie so near
 * to each other that they beat are one that swells and fades, and do so when the take does; and a strum is never heard more than half of that
 * before it is played. Shorter ones would not tell low strings apart: where there is no power of two near 85 ms they are longer.
 */
export function vocoderWindow(kind: VocodedKind, rateHz: number): number {
  return nextPowerOfTwo((kind === 'pads' ? 0.75 * 0.34 : 0.08) * rateHz);
}

/** Windows overlap by three quarters, so that squared Hann windows add up to a constant. */
const overlap = 4;
const overlapGain = 1 / 1.5;
/** So many frames before those that are not whole yet are read once more. */
const soundBefore = 2 * movingTaps;

/** What a stretch of tuned sound is made from. */
export interface VocodedStretch {
  /** First frame wanted, and the one after the last. */
  readonly from: number;
  readonly to: number;
  /** Frames that the phases run before `from`, from those of the take on. */
  readonly before: number;
  /** How long its windows are: a power of two. */
  readonly window: number;
}

/**
 * Tunes sounds of many tones: a phase vocoder whose peaks are kept whole (identity phase locking, Laroche and Dolson, "Improved
 * phase vocoder time-scale modification of audio", 1999), which stretches by the ratio, and a reading that is as much faster. By how
 * much a peak's phase goes on is read off two transforms a hop apart (Puckette, "Phase-locked vocoder", 1995), so that no
 * frequency is estimated. It stays in time to the frame: nothing wanders.
 *
 * Phases go on for ever, and a stretch must not depend on what was asked for before it. So each stretch begins with the phases of the
 * take, `before` frames ahead of itself, and on its last `before` frames its phases glide to those that the next stretch, which has
 * begun by then, goes on with: each partial is off by less than a turn in that time.
 *
 * Its beginning is made before its end, and can be heard meanwhile.
 */
export class VocoderTuner {
  readonly #stretch: VocodedStretch;
  readonly #ratio: number;
  readonly #size: number;
  readonly #hop: number;
  /** The frame of the stretched sound, where windows stand every hop, of which places are told. */
  readonly #stretchedFrom: number;
  /** Windows: the first one, that with which the next stretch begins, and the last one. */
  readonly #own: number;
  readonly #next: number;
  readonly #last: number;
  /** That which is next. */
  #k: number;
  /** Frames that are made. */
  #made = 0;
  readonly #rooms: TunerRooms;
  readonly #vocoder: Vocoder;
  /** Of the stretched sound, what is not whole yet, and a little before it. */
  readonly #sound: Float64Array;

  /** @param ratio of frequencies, `leastRatio` to 2.5 */
  constructor(stretch: VocodedStretch, ratio: number) {
    // There is room for no slower one.
    if (!(ratio >= leastRatio)) throw new RangeError(`A vocoder tunes by ${leastRatio} at least.`);
    const { from, to, before, window: size } = stretch;
    const hop = size / overlap;
    this.#stretch = stretch;
    this.#ratio = ratio;
    this.#size = size;
    this.#hop = hop;
    this.#stretchedFrom = floor(from * ratio) - movingTaps;
    const first = (boundary: number) => ceil(((boundary - before) * ratio) / hop);
    this.#own = first(from);
    this.#next = first(to);
    this.#last = ceil((to * ratio + size / 2) / hop);
    this.#k = this.#own;
    this.#rooms = roomsOf(size);
    this.#vocoder = new Vocoder(size, hop, this.#rooms.vocoder);
    this.#sound = new Float64Array(soundFrames(size));
  }

  /** Frames that are made, from the stretch's first one on. */
  get made(): number {
    return this.#made;
  }

  /** The frame of the take from which on it is still to be read. */
  get readsFrom(): number {
    return this.#placeOf(this.#k) - this.#hop;
  }

  /** The frame of the take up to which it must be known before so many frames can be made. */
  needs(count: number): number {
    const { from } = this.#stretch;
    const end = (from + count) * this.#ratio + movingTaps;
    const windows = ceil((end + this.#size / 2) / this.#hop) - this.#own;
    const k = this.#own + windowsAtOnce * ceil(windows / windowsAtOnce);
    return this.#placeOf(k) + this.#size;
  }

  /** Where a window begins in the take. */
  #placeOf(k: number): number {
    return round((k * this.#hop) / this.#ratio) - this.#size / 2;
  }

  /**
   * Goes on until so many frames of the stretch are made, or a few more.
   * @param input from frame `start` of the take on; what it does not hold is silence
   * @param out of the stretch
   * @param most transforms back that it may take at once
   * @returns whether they are made; otherwise it wants to be called again
   */
  make(
    count: number,
    input: Float32Array,
    start: number,
    out: Float32Array,
    most = Infinity,
  ): boolean {
    const isMade = () => this.#made >= min(count, out.length) || this.#k > this.#last;
    if (isMade()) return true;
    const { sound } = this.#rooms;
    this.#vocoder.enter();
    sound.values.set(this.#sound);
    for (let n = 0; n < most && !isMade(); n++) this.#makeNext(input, start, out);
    this.#sound.set(sound.values);
    this.#vocoder.leave();
    return isMade();
  }

  /** As much as becomes whole with the windows of one transform. */
  #makeNext(input: Float32Array, start: number, out: Float32Array): void {
    const { sound, back } = this.#rooms;
    const [hop, half] = [this.#hop, this.#size / 2];
    const windows = this.#goOn(input, start);
    // Where phases only run ahead nothing is sounded yet.
    if ((this.#k - 1) * hop + half <= this.#stretchedFrom) return;
    this.#vocoder.addTo(sound.at + 8 * soundBefore, back, windows);
    this.#readUpTo(this.#k * hop - half, (this.#k - windows) * hop - half - soundBefore, out);
    const { values } = sound;
    values.copyWithin(0, windows * hop);
    values.fill(0, values.length - windows * hop);
  }

  /** Goes through the windows of one transform; says how many there were. */
  #goOn(input: Float32Array, start: number): number {
    const { to, before } = this.#stretch;
    const glideFrames = max(1, before - 2 * this.#size);
    let windows = 0;
    for (; windows < windowsAtOnce && this.#k <= this.#last; windows++, this.#k++) {
      const k = this.#k;
      if (windows % 2 === 0)
        this.#vocoder.read(input, this.#placeOf(k) - start, this.#placeOf(k + 1) - start);
      const done = ((k * this.#hop) / this.#ratio - (to - before)) / glideFrames;
      const share = k < this.#next ? 0 : smooth(max(0, min(1, done)));
      this.#vocoder.go(k === this.#own, k === this.#next, k >= this.#next, share);
    }
    return windows;
  }

  /**
   * Reads what has become whole of the stretched sound, in steps of the ratio.
   * @param whole frame before which it is
   * @param held frame of it that the held sound begins with
   */
  #readUpTo(whole: number, held: number, out: Float32Array): void {
    const { from } = this.#stretch;
    const [ratio, made] = [this.#ratio, this.#made];
    const origin = from * ratio - this.#stretchedFrom;
    const isThere = (n: number) =>
      floor(origin + ratio * n) + movingTaps / 2 < whole - this.#stretchedFrom;
    let end = min(out.length, ceil((whole - this.#stretchedFrom - origin) / ratio));
    while (end > made && !isThere(end - 1)) end--;
    if (end <= made) return;
    const { sound, table, read } = this.#rooms;
    const values = sound.at - 8 * (held - this.#stretchedFrom);
    transforms.readAlong(table.at, values, origin, ratio, made, end, read.at);
    out.set(read.singles.subarray(0, end - made), made);
    this.#made = end;
  }
}

const smooth = (x: number) => x * x * (3 - 2 * x);

const soundFrames = (size: number) => soundBefore + ((windowsAtOnce - 1) * size) / overlap + size;

/** What is worked in, as in `VocoderRooms`. */
interface TunerRooms {
  readonly vocoder: VocoderRooms;
  /** The window through which what is sounded is added. */
  readonly back: Room;
  readonly sound: Room;
  readonly read: Room;
  /** What reads between values, where these loops can read it. */
  readonly table: Room;
}

const kept = new Map<number, TunerRooms>();
let table: Room | null = null;

function roomsOf(size: number): TunerRooms {
  const known = kept.get(size);
  if (known) return known;
  const hop = size / overlap;
  const weights = movingTable();
  if (!table) {
    table = openRoom(weights.length);
    table.values.set(weights);
  }
  const back = openRoom(size);
  back.values.set(hannWindow(size).map((weight) => (weight * overlapGain) / size));
  const rooms = {
    vocoder: new VocoderRooms(size, hop),
    back,
    sound: openRoom(soundFrames(size)),
    read: openRoom(ceil((windowsAtOnce * hop) / leastRatio / 2) + 1),
    table,
  };
  kept.set(size, rooms);
  return rooms;
}
