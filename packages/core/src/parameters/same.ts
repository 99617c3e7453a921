/** Whether two values are the same, of what JSON can say. */
export function isSame(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  const keys = Object.keys(a);
  return (
    keys.length === Object.keys(b).length &&
    keys.every((key) => isSame(a[key as keyof typeof a], b[key as keyof typeof b]))
  );
}
