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
