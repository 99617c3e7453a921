import type { Piece } from '@pannet/core/takes/arrangement';
import { bytesOf } from '../controls/inks.ts';
import { fillBars, shadeColumns, type InkedPixels } from './bars.ts';
import { levelFor, soundingOf } from './levels.ts';
import { outlineFrames } from './outline.ts';
import type { TimeView } from './time-view.ts';
import type { Stretch } from './waves.ts';

/** A wave is drawn from its outline until a pixel shows fewer frames than one pair of it stands for. */
export function needsStretch({ from, to }: TimeView, width: number): boolean {
  return width > 0 && (to - from) / width < outlineFrames;
}

export interface WaveBox {
  readonly width: number;
  readonly height: number;
  /** Between full scale and the edge. */
  readonly edge: number;
}

/** What of a recording is drawn, and where it lies. */
export interface Drawn {
  readonly pieces: readonly Pick<Piece, 'at' | 'from' | 'count'>[];
  readonly outline: Float32Array | null;
  readonly stretch: Stretch | null;
}

export interface Colours {
  readonly ink: string;
  /** Where it sounds, so much of the ink, 0 to 1. */
  readonly shade: number;
  /** Of the line that it lies on; null for none. */
  readonly ground: string | null;
}

/**
 * Draws a wave on an empty canvas, as large as its box: what lies between least and largest sample of each of the screen's pixels, or,
 * where samples stand apart, a line through them with a dot on each.
 */
export function drawWave(
  context: CanvasRenderingContext2D,
  box: WaveBox,
  view: TimeView,
  drawn: Drawn,
  colours: Colours,
): void {
  const { stretch } = drawn;
  const { width: wide, height: high } = context.canvas;
  if (wide === 0 || high === 0) return;
  const apart = stretch !== null && (view.to - view.from) / box.width < 1;
  drawPixels(context, box, view, drawn, colours, !apart);
  if (colours.ground !== null) drawGround(context, box, colours.ground);
  if (apart) drawLine(context, box, view, drawn.pieces, stretch, colours.ink);
}

let kept: ImageData | null = null;

/** Nothing yet, in the screen's own pixels. Many waves of one size are drawn one after the other: all of them in this. */
function blank(width: number, height: number): ImageData {
  if (kept?.width === width && kept.height === height) kept.data.fill(0);
  else kept = new ImageData(width, height);
  return kept;
}

/**
 * The shade and the bars, pixel by pixel: several times as fast as a path of as many lines, where no graphics processor helps.
 * @param bars whether there are any, or the shade alone
 */
function drawPixels(
  context: CanvasRenderingContext2D,
  { height, edge }: WaveBox,
  view: TimeView,
  { pieces, outline, stretch }: Drawn,
  { ink, shade }: Colours,
  bars: boolean,
): void {
  const { width: wide, height: high } = context.canvas;
  const framesAPixel = (view.to - view.from) / wide;
  const image = blank(wide, high);
  const middle = high / 2;
  const into: InkedPixels = {
    pixels: new Uint32Array(image.data.buffer),
    wide,
    high,
    middle,
    reach: middle - (edge * high) / height,
    ink: bytesOf(ink),
  };
  if (shade > 0 && outline)
    for (const { at, from, count } of pieces)
      for (const sounding of soundingOf(outline)) {
        const begin = at - from + Math.max(from, sounding.from);
        const end = at - from + Math.min(from + count, sounding.to);
        shadeColumns(
          into,
          (begin - view.from) / framesAPixel,
          (end - view.from) / framesAPixel,
          shade,
        );
      }
  const coarse = !stretch && outline ? levelFor(outline, framesAPixel) : null;
  const values = stretch?.samples ?? coarse?.ends;
  if (values && bars)
    for (const piece of pieces)
      fillBars(into, view.from, framesAPixel, piece, {
        values,
        inPairs: !stretch,
        first: stretch?.from ?? 0,
        frames: coarse?.frames ?? 1,
      });
  context.putImageData(image, 0, 0);
}

function drawLine(
  context: CanvasRenderingContext2D,
  { width, height, edge }: WaveBox,
  view: TimeView,
  pieces: Drawn['pieces'],
  { from, samples }: Stretch,
  ink: string,
): void {
  const framesAPixel = (view.to - view.from) / width;
  const middle = height / 2;
  const reach = middle - edge;
  const y = (value: number) => middle - Math.max(-1, Math.min(1, value)) * reach;
  context.strokeStyle = context.fillStyle = ink;
  for (const { at, from: begin, count } of pieces) {
    const x = (n: number) => (from + n + at - begin - view.from) / framesAPixel;
    context.save();
    context.beginPath();
    context.rect(x(begin - from), 0, count / framesAPixel, height);
    context.clip();
    context.beginPath();
    for (let n = 0; n < samples.length; n++) context.lineTo(x(n), y(samples[n]));
    context.stroke();
    if (framesAPixel <= 1 / 6)
      for (let n = 0; n < samples.length; n++)
        context.fillRect(x(n) - 1.5, y(samples[n]) - 1.5, 3, 3);
    context.restore();
  }
}

/** Under what is drawn already. */
function drawGround(
  context: CanvasRenderingContext2D,
  { width, height }: WaveBox,
  colour: string,
): void {
  context.globalCompositeOperation = 'destination-over';
  context.strokeStyle = colour;
  context.beginPath();
  context.moveTo(0, height / 2);
  context.lineTo(width, height / 2);
  context.stroke();
  context.globalCompositeOperation = 'source-over';
}
