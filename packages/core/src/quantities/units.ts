/**
 * Branded units: a number that knows what it counts. A `Ms` cannot be handed to what wants `Frames`.
 * Frames count time; a sample is one value of one channel.
 */
declare const unit: unique symbol;
type Quantity<Unit extends string> = number & { readonly [unit]: Unit };

export type Ms = Quantity<'ms'>;
/** May be fractional: a delay of 10.5 frames is exact. */
export type Frames = Quantity<'frames'>;
export type Hz = Quantity<'hz'>;
export type Db = Quantity<'dB'>;
export type Lufs = Quantity<'LUFS'>;
export type Cents = Quantity<'cents'>;
/** A linear factor of amplitude. */
export type Gain = Quantity<'gain'>;

export const ms = (value: number) => value as Ms;
export const frames = (value: number) => value as Frames;
export const hz = (value: number) => value as Hz;
export const db = (value: number) => value as Db;
export const lufs = (value: number) => value as Lufs;
export const cents = (value: number) => value as Cents;
export const gain = (value: number) => value as Gain;

export function msToFrames(timeMs: Ms, rateHz: Hz): Frames {
  return frames((timeMs * rateHz) / 1000);
}

export function framesToMs(count: Frames, rateHz: Hz): Ms {
  return ms((count * 1000) / rateHz);
}

/** 0 dB is a factor of 1, −∞ dB a factor of 0. */
export function dbToGain(levelDb: Db): Gain {
  return gain(levelDb === 0 ? 1 : 10 ** (levelDb / 20));
}

/** Level of an amplitude ratio; −Infinity for 0. */
export function gainToDb(factor: number): Db {
  return db(20 * Math.log10(Math.abs(factor)));
}

/** Level of a power ratio; −Infinity for 0. */
export function powerToDb(ratio: number): Db {
  return db(10 * Math.log10(ratio));
}

/** Ratio of frequencies: 1200 cents are a factor of 2. */
export function centsToRatio(interval: Cents): number {
  return 2 ** (interval / 1200);
}
