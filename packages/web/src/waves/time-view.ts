/** The stretch of the song that is drawn over time. In frames, its ends not necessarily whole. */
export interface TimeView {
  readonly from: number;
  /** Exclusive. */
  readonly to: number;
}

/** No closer than this: a sample is some twenty pixels wide then. */
export const closestFrames = 32;

export function wholeView(songFrames: number): TimeView {
  return { from: 0, to: Math.max(closestFrames, songFrames) };
}

/** A view of that width, moved so that it lies within the song. */
function within(from: number, width: number, songFrames: number): TimeView {
  const most = Math.max(closestFrames, songFrames);
  const held = Math.min(most, Math.max(closestFrames, width));
  const begin = Math.min(most - held, Math.max(0, from));
  return { from: begin, to: begin + held };
}

/**
 * Closer or farther; a frame stays where it is on the screen, as long as the song's ends allow it.
 * @param factor of what is seen: 0.5 shows half as much
 */
export function zoomed(
  { from, to }: TimeView,
  songFrames: number,
  about: number,
  factor: number,
): TimeView {
  const width = to - from;
  const next = Math.min(
    Math.max(closestFrames, songFrames),
    Math.max(closestFrames, width * factor),
  );
  return within(about - ((about - from) / width) * next, next, songFrames);
}

/** Later (or earlier, below 0) by so many frames. */
export function panned({ from, to }: TimeView, songFrames: number, by: number): TimeView {
  return within(from + by, to - from, songFrames);
}

/** Moved, if it must be, so that a frame is in it, a fifth of the view behind its beginning. */
export function showing(view: TimeView, songFrames: number, frame: number): TimeView {
  if (frame >= view.from && frame < view.to) return view;
  const width = view.to - view.from;
  return within(frame - width / 5, width, songFrames);
}

export function isWhole({ from, to }: TimeView, songFrames: number): boolean {
  return from === 0 && to >= songFrames;
}

/** Seconds that a ruler may go by, each a whole number of times in the next but one. */
const steps = [
  ...[1e-5, 1e-4, 1e-3, 1e-2, 0.1, 1].flatMap((unit) => [unit, 2 * unit, 5 * unit]),
  10,
  15,
  30,
  60,
  120,
  300,
  600,
  1200,
  3600,
];

/** Places of a ruler's marks, in seconds, at least so many pixels apart; with how many decimals tell them apart. */
export function rulerMarks(
  { from, to }: TimeView,
  rateHz: number,
  width: number,
  apart = 90,
): { readonly seconds: readonly number[]; readonly places: number } {
  const least = ((to - from) / rateHz / Math.max(1, width)) * apart;
  const step = steps.find((one) => one >= least) ?? 7200;
  const first = Math.ceil(from / rateHz / step - 1e-9);
  const seconds: number[] = [];
  for (let n = first; n * step * rateHz < to; n++) seconds.push(n * step);
  return { seconds, places: Math.max(0, -Math.floor(Math.log10(step) + 1e-9)) };
}
