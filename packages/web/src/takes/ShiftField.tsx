import { beatsAt } from '@pannet/core/moves/tempo';
import { useState } from 'react';
import { say } from '../controls/notices.ts';
import { useOpenSong, useRate } from '../session/use-open-song.ts';
import { typedShift } from './typed-shift.ts';

interface Props {
  readonly label: string;
  /** Where it lies, for the tempo there; frames. */
  readonly at: number;
  readonly onShift: (frames: number) => void;
}

/** By how much something is moved, typed in ms, samples or as a share of a note. */
export function ShiftField({ label, at, onShift }: Props) {
  const open = useOpenSong();
  const rateHz = useRate();
  const [draft, setDraft] = useState('');
  const take = () => {
    if (draft.trim() === '') return;
    const { tempo } = open.session.store.getState().song;
    const seconds = at / rateHz;
    const bpm = tempo && 60 * (beatsAt(tempo, seconds + 1e-3) - beatsAt(tempo, seconds)) * 1000;
    const shift = typedShift(draft, rateHz, bpm);
    if (!shift.ok) {
      say(shift.sentence);
      return;
    }
    setDraft('');
    if (shift.frames !== 0) onShift(shift.frames);
  };
  return (
    <input
      className="name-input mono shift-field"
      aria-label={label}
      placeholder="by …"
      title="Move it by: 12.5 ms, 48 samples, or 1/64 of a note; earlier with a minus"
      value={draft}
      onChange={(event) => setDraft(event.target.value)}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === 'Enter') take();
        else if (event.key === 'Escape') setDraft('');
      }}
    />
  );
}
