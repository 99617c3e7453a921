const known = new Map<string, string>();

/** A colour or a face of the page's style, for what is drawn on a canvas. Each is looked up once, since the page works out its style for it. */
export function styleOf(name: `--${string}`): string {
  let value = known.get(name);
  if (value === undefined) {
    value = getComputedStyle(document.documentElement).getPropertyValue(name);
    known.set(name, value);
  }
  return value;
}

const knownBytes = new Map<string, number>();

/** A colour as the first three bytes of a pixel: red the lowest. Black where there is nothing to draw on. */
export function bytesOf(colour: string): number {
  let bytes = knownBytes.get(colour);
  if (bytes === undefined) {
    const context = new OffscreenCanvas(1, 1).getContext('2d', { willReadFrequently: true });
    if (!context) return 0;
    context.fillStyle = colour;
    context.fillRect(0, 0, 1, 1);
    const [red, green, blue] = context.getImageData(0, 0, 1, 1).data;
    bytes = red | (green << 8) | (blue << 16);
    knownBytes.set(colour, bytes);
  }
  return bytes;
}
