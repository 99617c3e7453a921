import { clock, secondsOf } from '@pannet/core/quantities/wording';
import { useState } from 'react';

interface Props {
  readonly label: string;
  readonly seconds: number;
  /** One sample, in seconds. */
  readonly sample: number;
  readonly onCommit: (seconds: number) => void;
  /** What was typed is no time. */
  readonly onRefuse: (sentence: string) => void;
}

/** A time that is typed, as “1:02.5” or in seconds, and nudged: by a tenth of a second, a second with Shift, a sample with Alt. */
export function TimeField({ label, seconds, sample, onCommit, onRefuse }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const take = () => {
    if (draft === null) return;
    const typed = secondsOf(draft);
    if (typed === null) onRefuse(`${label} is a time such as 1:02.5 or 62.5; “${draft}” is none.`);
    else onCommit(typed);
    setDraft(null);
  };
  return (
    <input
      className="name-input mono time-field"
      aria-label={label}
      title="Typed as 1:02.5 or in seconds; arrow keys nudge (Shift: a second, Alt: a sample)"
      value={draft ?? clock(seconds, 3)}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === 'Enter') take();
        else if (event.key === 'Escape') setDraft(null);
        else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
          const step = event.altKey ? sample : event.shiftKey ? 1 : 0.1;
          setDraft(null);
          onCommit(Math.max(0, seconds + (event.key === 'ArrowUp' ? step : -step)));
          event.preventDefault();
        }
      }}
    />
  );
}
