import { Biquad, type BiquadCoefficients } from '../signal/biquad.ts';
import { seededRandom } from '../signal/random.ts';
import type { Note } from './note.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { PI, cos, exp, floor, max, min, round, sin } = Math;

/** What a line is played into. */
export interface Tape {
  readonly rateHz: number;
  readonly frames: number;
  /** Told the share of the notes that are played. */
  readonly tick?: (share: number) => void;
}

/** Plays a line into a mono recording; the seed makes every run give the same bits. */
export type Instrument = (notes: readonly Note[], seed: number, tape: Tape) => Float64Array;

/** Adds each note, sample by sample, from what `sound` makes of it. */
function play(
  { rateHz, frames, tick }: Tape,
  notes: readonly Note[],
  tailSeconds: number,
  sound: (note: Note, index: number) => (frame: number, seconds: number) => number,
): Float64Array {
  const line = new Float64Array(frames);
  for (const [index, note] of notes.entries()) {
    tick?.(index / notes.length);
    const start = round(note.startSeconds * rateHz);
    const count = min(frames - start, round((note.seconds + tailSeconds) * rateHz));
    const voice = sound(note, index);
    for (let n = 0; n < count; n++) line[start + n] += note.strength * voice(n, n / rateHz);
  }
  return line;
}

/** Rises over `attack`, holds to the note's end, falls over `release`; smooth at the corners. */
function envelope(note: Note, attack: number, release: number): (seconds: number) => number {
  return (seconds) => {
    const rise = min(1, seconds / attack);
    const fall = min(1, max(0, (note.seconds + release - seconds) / release));
    const smooth = (x: number) => x * x * (3 - 2 * x);
    return smooth(rise) * smooth(fall);
  };
}

/** Band-pass of peak gain 1 (RBJ Audio EQ Cookbook). */
function bandPass(hz: number, q: number, rateHz: number): BiquadCoefficients {
  const omega = (2 * PI * hz) / rateHz;
  const alpha = sin(omega) / (2 * q);
  const a0 = 1 + alpha;
  return {
    b0: alpha / a0,
    b1: 0,
    b2: -alpha / a0,
    a1: (-2 * cos(omega)) / a0,
    a2: (1 - alpha) / a0,
  };
}

/**
 * Sum of the sine partials below 16 kHz, `level` telling how loud the k-th one is; summed by Clenshaw's recurrence (1955),
 * so that a tone costs two trigonometric functions a sample.
 */
function partials(
  hz: number,
  most: number,
  level: (k: number) => number,
): (phase: number) => number {
  const count = min(most, floor(16_000 / hz));
  const levels = Array.from({ length: count }, (_, k) => level(k + 1));
  return (phase) => {
    const twice = 2 * cos(phase);
    let now = 0;
    let before = 0;
    for (let k = count - 1; k >= 0; k--) {
      const next = levels[k] + twice * now - before;
      before = now;
      now = next;
    }
    return now * sin(phase);
  };
}

/** e^(−rate·t), one sample further at each call. */
function decay(rate: number, rateHz: number): () => number {
  const factor = exp(-rate / rateHz);
  let value = 1 / factor;
  return () => (value *= factor);
}

/** A phase in radians that follows a frequency which sways: `depth` as a share, after `onset` seconds. */
function swaying(
  { rateHz: audioHz }: Tape,
  hz: number,
  rateHz: number,
  depth: number,
  onset: number,
  start: number,
) {
  let phase = start;
  return (seconds: number) => {
    const grown = min(1, seconds / onset);
    const sway = 1 + depth * grown * sin(2 * PI * rateHz * seconds + start);
    phase += (2 * PI * hz * sway) / audioHz;
    return phase;
  };
}

/** A hummed voice: a glottal tone with vibrato and breath through four formants of a closed "oo" (handbook values, from memory). */
export const hum: Instrument = (notes, seed, tape) => {
  const { rateHz } = tape;
  const random = seededRandom(seed);
  const source = play(tape, notes, 0.15, (note) => {
    const shape = envelope(note, 0.09, 0.15);
    const phase = swaying(tape, note.hz, 5.2, 0.006, 0.6, random() * 6.28);
    const tone = partials(note.hz, 28, (k) => k ** -1.3);
    return (_, seconds) => shape(seconds) * (tone(phase(seconds)) + 0.06 * (random() - 0.5));
  });
  const formants = [
    [330, 4, 1],
    [780, 6, 0.5],
    [2300, 9, 0.16],
    [3200, 10, 0.09],
  ] as const;
  const line = new Float64Array(source.length);
  const band = new Float64Array(source.length);
  for (const [hz, q, level] of formants) {
    new Biquad(bandPass(hz, q, rateHz)).process(source, band, band.length);
    for (let n = 0; n < line.length; n++) line[n] += level * band[n];
  }
  return line;
};

/** A plucked string: a burst of noise round a delay line with a gentle low-pass (Karplus and Strong 1983). */
export const plucked: Instrument = (notes, seed, tape) => {
  const { rateHz } = tape;
  const random = seededRandom(seed);
  return play(tape, notes, 0.4, (note) => {
    const period = rateHz / note.hz - 0.5;
    const whole = floor(period);
    const fraction = period - whole;
    const string = Float64Array.from({ length: whole + 1 }, () => random() * 2 - 1);
    // A softer plectrum: the burst is averaged before it sets out.
    for (let pass = 0; pass < 2; pass++)
      for (let n = string.length - 1; n > 0; n--) string[n] = (string[n] + string[n - 1]) / 2;
    const loss = 0.5 ** (2 / (0.5 * note.hz));
    const shape = envelope(note, 0.002, 0.4);
    let at = 0;
    let before = 0;
    return (_, seconds) => {
      const next = (at + 1) % string.length;
      const value = string[at] * fraction + string[next] * (1 - fraction);
      string[at] = loss * 0.5 * (value + before);
      before = value;
      at = next;
      return shape(seconds) * value;
    };
  });
};

/** A low bowed string: a rich tone that speaks slowly, with bow noise. */
export const bowed: Instrument = (notes, seed, tape) => {
  const random = seededRandom(seed);
  return play(tape, notes, 0.2, (note) => {
    const shape = envelope(note, 0.18, 0.25);
    const phase = swaying(tape, note.hz, 4.6, 0.0035, 0.9, random() * 6.28);
    const tone = partials(note.hz, 24, (k) => 1 / k / (1 + (k / 9) ** 2));
    let noise = 0;
    return (_, seconds) => {
      noise += 0.2 * (random() - 0.5 - noise);
      return shape(seconds) * (0.5 * tone(phase(seconds)) + 0.08 * noise);
    };
  });
};

/** A reed box: hollow tones of mostly odd partials, each reed a little out of tune with the next. */
export const reeds: Instrument = (notes, seed, tape) => {
  const random = seededRandom(seed);
  return play(tape, notes, 0.1, (note) => {
    const shape = envelope(note, 0.05, 0.1);
    const detuned = note.hz * 2 ** ((random() - 0.5) / 400);
    const phase = swaying(tape, detuned, 3, 0.0006, 1, random() * 6.28);
    const tone = partials(detuned, 18, (k) => (k % 2 ? 1 : 0.35) / k);
    return (_, seconds) => 0.35 * shape(seconds) * tone(phase(seconds));
  });
};

/** A frame drum: three skin modes (a circular membrane's ratios: 1, 1.59, 2.14) and the hand's noise. */
export const drum: Instrument = (notes, seed, tape) => {
  const { rateHz } = tape;
  const random = seededRandom(seed);
  return play(tape, notes, 0.5, (note) => {
    const modes = [
      { ratio: 1, level: 1, fade: decay(7, rateHz) },
      { ratio: 1.59, level: 0.5, fade: decay(11, rateHz) },
      { ratio: 2.14, level: 0.35, fade: decay(16, rateHz) },
    ];
    const tension = decay(40, rateHz);
    const slap = decay(70, rateHz);
    let noise = 0;
    return (_, seconds) => {
      noise += 0.5 * (random() * 2 - 1 - noise);
      const phase = 2 * PI * note.hz * (1 + 0.08 * tension()) * seconds;
      let sum = 0.7 * noise * slap();
      for (const { ratio, level, fade } of modes) sum += level * sin(phase * ratio) * fade();
      return min(1, seconds * 800) * sum;
    };
  });
};

/** Struck glass: inharmonic partials that die away one after the other. */
export const bells: Instrument = (notes, seed, tape) => {
  const { rateHz } = tape;
  const random = seededRandom(seed);
  return play(tape, notes, 1.5, (note) => {
    const modes = [1, 2.32, 4.25, 6.63]
      .filter((ratio) => note.hz * ratio < 18_000)
      .map((ratio, k) => ({
        step: 2 * PI * note.hz * ratio,
        level: 1 / (1 + k),
        fade: decay(1.6 + 1.8 * k, rateHz),
        start: random() * 6.28,
      }));
    const shape = envelope(note, 0.003, 1.5);
    return (_, seconds) => {
      let sum = 0;
      for (const { step, level, fade, start } of modes)
        sum += level * fade() * sin(step * seconds + start);
      return shape(seconds) * sum;
    };
  });
};

/** A soft pad for the bed. */
export const pad: Instrument = (notes, seed, tape) => {
  const random = seededRandom(seed);
  return play(tape, notes, 0.6, (note) => {
    const shape = envelope(note, 0.5, 0.6);
    const phase = swaying(
      tape,
      note.hz * 2 ** ((random() - 0.5) / 150),
      0.7,
      0.001,
      1,
      random() * 6.28,
    );
    const tone = partials(note.hz, 6, (k) => k ** -2);
    return (_, seconds) => 0.3 * shape(seconds) * tone(phase(seconds));
  });
};

/** Dry seeds in a shaker, on every half beat of the bed. */
export const shaker: Instrument = (notes, seed, tape) => {
  const { rateHz } = tape;
  const random = seededRandom(seed);
  const source = play(
    tape,
    notes,
    0.05,
    () => (_, seconds) => (random() - 0.5) * exp(-seconds * 45),
  );
  const line = new Float64Array(source.length);
  new Biquad(bandPass(6500, 1.2, rateHz)).process(source, line, line.length);
  return line;
};
