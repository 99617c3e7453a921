import { clock, signedFigure } from '@pannet/core/quantities/wording';
import type { Part } from '@pannet/core/song/song';
import { useMemo, useState, type KeyboardEvent } from 'react';
import { say } from '../controls/notices.ts';
import { useGesture } from '../controls/use-gesture.ts';
import { useOpenSong, useRate, useRecordings, useTimeView } from '../session/open-song.ts';
import { extentOf, shiftEdits } from './part-shift.ts';

interface Props {
  readonly part: Part;
  readonly width: number;
}

/** The upper edge of a part, by which all of it is moved along the song: dragged with no grid, or by keys. */
export function ShiftBar({ part, width }: Props) {
  const open = useOpenSong();
  const view = useTimeView();
  const recordings = useRecordings();
  const rateHz = useRate();
  const [by, setBy] = useState<number | null>(null);
  const pixels = width / (view.to - view.from);
  const { from, to } = useMemo(
    () => extentOf(part, recordings, rateHz),
    [part, recordings, rateHz],
  );
  const left = Math.max(-4, (from - view.from) * pixels);
  const right = Math.min(width + 4, (to - view.from) * pixels);
  const keep = (frames: number) => {
    const kept = open.keptPart(part.id);
    if (!kept || frames === 0) return;
    const edits = shiftEdits(kept, recordings, frames);
    const begins = extentOf(kept, recordings, rateHz).from;
    const at = (frame: number) => clock(Math.max(0, frame) / rateHz, 4);
    // A key that is held is one step.
    const name = `${part.name}: begins ${at(begins)} → ${at(begins + frames)}`;
    if (edits.length > 0) open.do(name, edits);
    else say('Nothing of it would be left: the song begins at 0.');
  };
  const { handlers, cancel } = useGesture<{ readonly x: number; readonly kept: Part }>({
    begin: (event) => {
      const kept = open.keptPart(part.id);
      return kept && { x: event.clientX, kept };
    },
    move: (held, event) => {
      const frames = Math.round((event.clientX - held.x) / pixels);
      setBy(frames);
      open.preview(shiftEdits(held.kept, recordings, frames));
    },
    end: (held, event) => {
      setBy(null);
      const frames = Math.round((event.clientX - held.x) / pixels);
      if (frames === 0) open.session.endPreview();
      else keep(frames);
    },
    cancel: () => {
      setBy(null);
      open.session.endPreview();
    },
  });
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key === 'Escape') {
      if (!cancel()) return;
    } else {
      const direction = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
      if (direction === 0) return;
      keep(direction * (event.altKey ? 1 : Math.round(rateHz / (event.shiftKey ? 100 : 1000))));
    }
    event.preventDefault();
    event.stopPropagation();
  };
  if (right <= left) return null;
  return (
    <div
      {...handlers}
      className="shift-bar"
      role="button"
      tabIndex={0}
      aria-label={`${part.name} begins at ${clock(from / rateHz, 3)}; moved by dragging or by arrow keys`}
      title="Drag: all of the part earlier or later, with no grid · arrow keys: 1 ms (Shift: 10 ms; Alt: one sample)"
      style={{ left, width: right - left }}
      onKeyDown={onKeyDown}
    >
      {by !== null && by !== 0 && (
        <span className="mono">
          {signedFigure((by / rateHz) * 1000, 2)} ms · {signedFigure(by, 0)} smp
        </span>
      )}
    </div>
  );
}
