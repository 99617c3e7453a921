/** A canvas's context in CSS pixels, as sharp as the screen allows; null where there is none to draw on. */
export function sharpContext(
  canvas: HTMLCanvasElement | null,
  width: number,
  height: number,
): CanvasRenderingContext2D | null {
  const context = canvas?.getContext('2d') ?? null;
  if (!context) return null;
  const [wide, high] = [width, height].map((size) => Math.floor(size * devicePixelRatio));
  // One of the same size is wiped and not made anew: many of them are drawn again while a view is zoomed.
  if (context.canvas.width === wide && context.canvas.height === high) context.reset();
  else Object.assign(context.canvas, { width: wide, height: high });
  context.scale(devicePixelRatio, devicePixelRatio);
  return context;
}
