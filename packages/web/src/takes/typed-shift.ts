/** What a typed shift means: frames, or a sentence why it means nothing. */
export type TypedShift =
  | { readonly ok: true; readonly frames: number }
  | { readonly ok: false; readonly sentence: string };

const form =
  /^(?<sign>[+-]?)(?:(?<top>\d{1,3})\s*\/\s*(?<bottom>\d{1,4})|(?<figure>\d+(?:[.,]\d*)?|[.,]\d+)\s*(?<unit>ms|s|smp|samples?)?)$/i;

/** Nothing is typed to be moved by more than this at once. */
const mostSeconds = 600;

/**
 * A shift as it is typed: “12.5” or “12.5 ms”, “48 samples”, or a share of a whole note at the song's tempo, “1/64”; earlier with a minus.
 * @param bpm quarter notes a minute where it is moved; null where the song has no tempo
 */
export function typedShift(text: string, rateHz: number, bpm: number | null): TypedShift {
  const found = form.exec(text.trim().replace('−', '-'))?.groups;
  if (!found)
    return {
      ok: false,
      sentence: `A shift is typed as “12.5 ms”, “48 samples” or “1/64” of a note; “${text}” is none.`,
    };
  const { sign, top, bottom, figure, unit } = found as Record<string, string | undefined>;
  let seconds: number;
  if (top !== undefined) {
    if (bpm === null)
      return { ok: false, sentence: 'A share of a note needs the song’s tempo: type that first.' };
    if (Number(bottom) === 0) return { ok: false, sentence: 'A note has no nought-th part.' };
    seconds = (Number(top) / Number(bottom)) * 4 * (60 / bpm);
  } else {
    const number = Number((figure ?? '').replace(',', '.'));
    const each = /^s$/i.test(unit ?? '') ? 1 : /^s/i.test(unit ?? '') ? 1 / rateHz : 1 / 1000;
    seconds = number * each;
  }
  if (seconds > mostSeconds)
    return { ok: false, sentence: `It is moved by ten minutes at most; “${text}” is more.` };
  return { ok: true, frames: Math.round((sign === '-' ? -1 : 1) * seconds * rateHz) };
}
