/**
 * The scale of the placement drawing: down is arrival, in pieces with their breaks drawn; across is position, with rails
 * at the edges where voices that are hard out stand side by side. Where the bands end is common practice.
 */
export interface ArrivalBand {
  readonly name: string;
  readonly fromMs: number;
  readonly toMs: number;
  /** Of the drawing's height. */
  readonly share: number;
  readonly ticks: readonly number[];
}

/**
 * Where a source is heard apart as an echo depends on what it is; the bands end and begin there.
 * @param echoMs 10 to 60
 */
export function arrivalBands({ echoMs = 40 }: Box): readonly ArrivalBand[] {
  const step = echoMs <= 20 ? 5 : 10;
  const ticks = [1];
  for (let tick = step; tick < echoMs - step / 3; tick += step) ticks.push(tick);
  return [
    { name: 'early', fromMs: -50, toMs: 0, share: 1 / 8, ticks: [-50, -25] },
    { name: 'leans', fromMs: 0, toMs: 1, share: 1 / 6, ticks: [0, 0.5] },
    { name: 'widens, doubles', fromMs: 1, toMs: echoMs, share: 13 / 24, ticks },
    { name: 'slaps', fromMs: echoMs, toMs: 150, share: 1 / 6, ticks: [echoMs, 100, 150] },
  ];
}

export const railWidth = 72;
/** Room for the figures and the names of the bands. */
export const scaleWidth = 54;
const top = 24;
const bottom = 10;
const edge = 8;

export interface Box {
  readonly width: number;
  readonly height: number;
  /** From here on a copy is heard as an echo. */
  readonly echoMs?: number;
}

const innerHeight = (box: Box) => Math.max(1, box.height - top - bottom);

/** Where a band begins, in pixels from the top. */
export function bandTop(index: number, box: Box): number {
  const before = arrivalBands(box)
    .slice(0, index)
    .reduce((sum, band) => sum + band.share, 0);
  return top + before * innerHeight(box);
}

export function yOfMs(delayMs: number, box: Box): number {
  const bands = arrivalBands(box);
  const index = Math.max(
    0,
    bands.findLastIndex((band) => delayMs >= band.fromMs),
  );
  const band = bands[index];
  const share = Math.min(1, Math.max(0, (delayMs - band.fromMs) / (band.toMs - band.fromMs)));
  return bandTop(index, box) + share * band.share * innerHeight(box);
}

/** Held within the scale. */
export function msOfY(y: number, box: Box): number {
  const bands = arrivalBands(box);
  const last = bands.length - 1;
  let index = 0;
  while (index < last && y >= bandTop(index + 1, box)) index++;
  const band = bands[index];
  const share = (y - bandTop(index, box)) / (band.share * innerHeight(box));
  return band.fromMs + Math.min(1, Math.max(0, share)) * (band.toMs - band.fromMs);
}

export const fieldLeft = () => scaleWidth + railWidth;
export const fieldRight = (box: Box) => box.width - edge - railWidth;
export const axisX = (box: Box) => (fieldLeft() + fieldRight(box)) / 2;
export const rightRail = (box: Box) => box.width - edge - railWidth;
export const leftRail = () => scaleWidth;

/** Pans that are not hard out lie in the field between the rails. */
export function xOfPan(panPercent: number, box: Box): number {
  if (panPercent <= -100) return leftRail() + railWidth / 2;
  if (panPercent >= 100) return rightRail(box) + railWidth / 2;
  return axisX(box) + (panPercent / 100) * (fieldRight(box) - fieldLeft()) * 0.5;
}

const axisPull = 7;

/** Whole percent; on a rail it is hard out, near the axis it is the middle. */
export function panOfX(x: number, box: Box): number {
  if (x < fieldLeft()) return -100;
  if (x > fieldRight(box)) return 100;
  if (Math.abs(x - axisX(box)) < axisPull) return 0;
  const pan = ((x - axisX(box)) / ((fieldRight(box) - fieldLeft()) * 0.5)) * 100;
  return Math.max(-99, Math.min(99, Math.round(pan)));
}
