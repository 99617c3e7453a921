/** Figures as they are written on the drawings: a true minus sign, a fixed number of places, the unit behind. */

export function figure(value: number, places: number): string {
  if (value === -Infinity) return '−∞';
  if (!Number.isFinite(value)) return '–';
  const rounded = value.toFixed(places);
  const unsigned = rounded.replace('-', '');
  return rounded.startsWith('-') && Number(unsigned) !== 0 ? `−${unsigned}` : unsigned;
}

export function signedFigure(value: number, places: number): string {
  const text = figure(value, places);
  return value > 0 && Number(text) !== 0 ? `+${text}` : text;
}

/** `1:04.250`, from seconds at or above 0. */
export function clock(seconds: number, places = 0): string {
  const unit = 10 ** places;
  const total = Math.floor(Math.max(0, seconds) * unit + 1e-6) / unit;
  const minutes = Math.floor(total / 60);
  const rest = (total - minutes * 60).toFixed(places);
  return `${minutes}:${rest.padStart(places > 0 ? places + 3 : 2, '0')}`;
}

/** The seconds of “62.5”, “62,5” or “1:02.5”; null for what is no time. */
export function secondsOf(text: string): number | null {
  const [, minutes = '0', rest] = /^\s*(?:(\d+):)?(\d+(?:[.,]\d*)?)\s*s?\s*$/.exec(text) ?? [];
  return rest === undefined ? null : Number(minutes) * 60 + Number(rest.replace(',', '.'));
}

export function plural(count: number, one: string, many = `${one}s`): string {
  return `${count} ${count === 1 ? one : many}`;
}
