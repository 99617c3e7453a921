/** A canvas's context in CSS pixels, as sharp as the screen allows; null where there is none to draw on. */
export function sharpContext(
  canvas: HTMLCanvasElement | null,
  width: number,
  height: number,
): CanvasRenderingContext2D | null {
  const context = canvas?.getContext('2d') ?? null;
  if (!context) return null;
  context.canvas.width = width * devicePixelRatio;
  context.canvas.height = height * devicePixelRatio;
  context.scale(devicePixelRatio, devicePixelRatio);
  return context;
}
