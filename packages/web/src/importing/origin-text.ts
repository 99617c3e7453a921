import { figure } from '@pannet/core/quantities/wording';
import type { Recording } from '@pannet/core/song/song';

/** Where a converted recording came from, as a further sentence. */
export function originText({ original, rateHz }: Recording): string {
  if (!original) return '';
  const { fileName, format, rateHz: fromHz } = original;
  const rates =
    fromHz === rateHz
      ? ''
      : `, from ${figure(fromHz / 1000, 1)} to ${figure(rateHz / 1000, 1)} kHz`;
  return ` Converted from ${format}${rates}; “${fileName}” is kept as it came.`;
}
