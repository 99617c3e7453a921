import {
  barPlace,
  barsLater,
  secondsOfBarPlace,
  sixteenthsLater,
} from '@pannet/core/moves/bar-place';
import type { Tempo } from '@pannet/core/moves/tempo';
import { clock, secondsOf } from '@pannet/core/quantities/wording';
import { useState } from 'react';

interface Props {
  readonly label: string;
  readonly seconds: number;
  /** One sample, in seconds. */
  readonly sample: number;
  /** Where it is told by bars. */
  readonly tempo?: Tempo | null;
  readonly onCommit: (seconds: number) => void;
  /** What was typed is no time. */
  readonly onRefuse: (sentence: string) => void;
}

/**
 * A time that is typed, as “1:02.5” or in seconds, and nudged: by a tenth of a second, a second with Shift, a sample with Alt. By bars it is typed as “17.3.2”,
 * or as a time with a colon, and nudged by a sixteenth or a bar.
 */
export function TimeField({ label, seconds, sample, tempo = null, onCommit, onRefuse }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const take = () => {
    if (draft === null) return;
    const typed =
      tempo && !draft.includes(':') ? secondsOfBarPlace(tempo, draft) : secondsOf(draft);
    if (typed === null)
      onRefuse(
        tempo
          ? `${label} is a bar, its beat and sixteenth, such as 17.3.2, or a time such as 1:02.5; “${draft}” is none.`
          : `${label} is a time such as 1:02.5 or 62.5; “${draft}” is none.`,
      );
    else onCommit(typed);
    setDraft(null);
  };
  const nudged = ({ altKey, shiftKey }: { altKey: boolean; shiftKey: boolean }, way: 1 | -1) => {
    if (tempo && !altKey)
      return shiftKey ? barsLater(tempo, seconds, way) : sixteenthsLater(tempo, seconds, way);
    return Math.max(0, seconds + way * (altKey ? sample : shiftKey ? 1 : 0.1));
  };
  return (
    <input
      className="name-input mono time-field"
      aria-label={label}
      title={
        tempo
          ? 'Bar, beat and sixteenth, typed as 17.3.2, or a time as 1:02.5; arrow keys nudge by a sixteenth (Shift: a bar, Alt: a sample)'
          : 'Typed as 1:02.5 or in seconds; arrow keys nudge (Shift: a second, Alt: a sample)'
      }
      value={draft ?? (tempo ? barPlace(tempo, seconds) : clock(seconds, 3))}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === 'Enter') take();
        else if (event.key === 'Escape') setDraft(null);
        else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
          const way = event.key === 'ArrowUp' ? 1 : -1;
          setDraft(null);
          onCommit(nudged(event, way));
          event.preventDefault();
        }
      }}
    />
  );
}
