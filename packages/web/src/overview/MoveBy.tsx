import { clock } from '@pannet/core/quantities/wording';
import type { Part } from '@pannet/core/song/song';
import { useMemo, useState } from 'react';
import { say } from '../controls/notices.ts';
import { useOpenSong, useRate, useRecordings } from '../session/use-open-song.ts';
import { ShiftField } from '../takes/ShiftField.tsx';
import { noEarlier, phraseEdits, phrasesOf, shiftEdits, shiftName } from './part-shift.ts';

const whole = 'all';

interface Props {
  readonly part: Part;
  /** The part among them. */
  readonly partIds: readonly string[];
  readonly together: string;
}

/** By how much the selected parts, or one phrase of the only one, are moved along the song, typed. */
export function MoveBy({ part, partIds, together }: Props) {
  const open = useOpenSong();
  const rateHz = useRate();
  const recordings = useRecordings();
  const phrases = useMemo(() => phrasesOf(part), [part]);
  const [chosen, setChosen] = useState(whole);
  const alone = partIds.length === 1 && phrases.length > 1;
  const phrase = alone && chosen !== whole ? phrases.at(Number(chosen)) : undefined;
  const number = Number(chosen) + 1;
  const shift = (by: number) => {
    const { song: kept } = open.session.store.getState();
    if (!phrase) {
      const edits = partIds.flatMap((id) => shiftEdits(kept.parts[id], recordings, by));
      if (edits.length > 0) open.do(shiftName(part, by, rateHz), edits);
      else say('Nothing of it would be left: the song begins at 0.');
      return;
    }
    const own = phrasesOf(kept.parts[part.id]).at(Number(chosen));
    const edits = own ? phraseEdits(kept.parts[part.id], own, by) : [];
    const name = shiftName({ ...part, name: `${part.name}, phrase ${number}` }, by, rateHz);
    if (edits.length > 0) open.do(name, edits);
    else say(noEarlier);
  };
  return (
    <>
      {alone && (
        <select
          className="plain-select"
          aria-label={`What of ${part.name} is moved`}
          title="What is moved: all of the part, or one phrase of it"
          value={phrase ? chosen : whole}
          onChange={(event) => setChosen(event.target.value)}
        >
          <option value={whole}>all of it</option>
          {phrases.map(({ from }, n) => (
            <option key={n} value={n}>
              phrase {n + 1}, {clock(from / rateHz, 1)}
            </option>
          ))}
        </select>
      )}
      <ShiftField
        label={phrase ? `Move phrase ${number} of ${part.name} by` : `Move ${together} by`}
        at={phrase?.from ?? open.playback.store.getState().frame}
        onShift={shift}
      />
    </>
  );
}
