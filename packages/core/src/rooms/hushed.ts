/** Far under the last bit of any file: nothing, before it becomes one of the numbers that slow a processor down. */
const nothing = 1e-24;

export function hushed(value: number): number {
  return value < nothing && value > -nothing ? 0 : value;
}
