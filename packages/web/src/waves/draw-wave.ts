import { styleOf } from '../controls/inks.ts';
import { levelFor } from './levels.ts';
import { outlineFrames } from './outline.ts';
import type { TimeView } from './time-view.ts';
import type { Stretch } from './waves.ts';

/** A wave is drawn from its outline until a pixel shows fewer frames than one pair of it stands for. */
export function needsStretch({ from, to }: TimeView, width: number): boolean {
  return width > 0 && (to - from) / width < outlineFrames;
}

export interface WaveBox {
  readonly width: number;
  /** Of the middle line. */
  readonly middle: number;
  /** How far full scale reaches from it. */
  readonly reach: number;
}

/** The line that a wave lies on; what is drawn after it is ink. */
export function drawGround(context: CanvasRenderingContext2D, width: number, middle: number): void {
  context.strokeStyle = styleOf('--rule');
  context.beginPath();
  context.moveTo(0, middle);
  context.lineTo(width, middle);
  context.stroke();
  context.strokeStyle = styleOf('--ink');
  context.fillStyle = context.strokeStyle;
}

/**
 * Draws a wave into a box: what lies between least and largest sample of each pixel, or, where samples stand apart, a line
 * through them with a dot on each.
 *
 * @param offset frames by which the recording lies later than the song
 */
export function drawWave(
  context: CanvasRenderingContext2D,
  { width, middle, reach }: WaveBox,
  view: TimeView,
  outline: Float32Array | null,
  stretch: Stretch | null,
  offset = 0,
): void {
  const framesAPixel = (view.to - view.from) / width;
  const y = (value: number) => middle - Math.max(-1, Math.min(1, value)) * reach;
  context.beginPath();
  if (stretch && framesAPixel < 1) {
    const { from, samples } = stretch;
    const x = (n: number) => (from + n + offset - view.from) / framesAPixel;
    for (let n = 0; n < samples.length; n++) context.lineTo(x(n), y(samples[n]));
    context.stroke();
    if (framesAPixel > 1 / 6) return;
    for (let n = 0; n < samples.length; n++)
      context.fillRect(x(n) - 1.5, y(samples[n]) - 1.5, 3, 3);
    return;
  }
  const coarse = !stretch && outline ? levelFor(outline, framesAPixel) : null;
  const data = stretch?.samples ?? coarse?.ends;
  if (!data) return;
  const scale = coarse?.frames ?? 1;
  const first = stretch?.from ?? 0;
  const pairs = stretch ? data.length : data.length / 2;
  for (let px = 0; px < width; px++) {
    const begin = (view.from + px * framesAPixel - offset - first) / scale;
    const from = Math.max(0, Math.floor(begin));
    const to = Math.min(pairs, Math.max(from + 1, Math.floor(begin + framesAPixel / scale)));
    if (begin < 0 || from >= pairs) continue;
    let least = Infinity;
    let most = -Infinity;
    for (let n = from; n < to; n++) {
      const low = stretch ? data[n] : data[2 * n];
      const high = stretch ? data[n] : data[2 * n + 1];
      if (low < least) least = low;
      if (high > most) most = high;
    }
    context.moveTo(px + 0.5, y(most));
    context.lineTo(px + 0.5, y(least) + 0.5);
  }
  context.stroke();
}
