import { clock, signedFigure } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part } from '@pannet/core/song/song';
import { useMemo, useState, type KeyboardEvent } from 'react';
import { say } from '../controls/notices.ts';
import { useGesture } from '../controls/use-gesture.ts';
import {
  useOpenSong,
  useRate,
  useRecordings,
  useSession,
  useTimeView,
} from '../session/use-open-song.ts';
import { extentOf, noEarlier, phraseEdits, phrasesOf, shiftEdits } from './part-shift.ts';

interface Props {
  readonly part: Part;
  readonly width: number;
}

/** Narrower than this, in pixels, a phrase is not taken hold of by itself. */
const narrowest = 5;

/** The upper edge of a part, by which it is moved along the song: each phrase of it where it is cut into clips, otherwise all of it. */
export function ShiftBars({ part: { id: partId }, width }: Props) {
  const view = useTimeView();
  const pixels = width / (view.to - view.from);
  // Of what is kept: phrases that are dragged over each other stay what they are until they are let go of.
  const part = useSession(({ song }) => song.parts[partId] as Part | undefined);
  if (!part) return null;
  return <BarsOf part={part} width={width} pixels={pixels} />;
}

function BarsOf({ part, width, pixels }: Props & { readonly pixels: number }) {
  const recordings = useRecordings();
  const rateHz = useRate();
  const extent = useMemo(() => extentOf(part, recordings, rateHz), [part, recordings, rateHz]);
  const phrases = useMemo(() => phrasesOf(part), [part]);
  const all: Movable = {
    of: (kept) => ({
      ...extentOf(kept, recordings, rateHz),
      edits: (frames) => shiftEdits(kept, recordings, frames),
    }),
    ...{ ...extent, name: part.name, what: 'all of the part' },
  };
  const apart =
    phrases.length > 1 && phrases.every(({ from, to }) => (to - from) * pixels >= narrowest);
  if (!apart) return <ShiftBar part={part} width={width} pixels={pixels} moved={all} />;
  return phrases.map(({ from, to }, n) => (
    <ShiftBar
      key={n}
      part={part}
      width={width}
      pixels={pixels}
      whole={all}
      moved={{
        of: (kept) => {
          const phrase = phrasesOf(kept).at(n);
          return phrase && { ...phrase, edits: (frames) => phraseEdits(kept, phrase, frames) };
        },
        ...{ from, to, name: `${part.name}, phrase ${n + 1}`, what: 'this phrase, in all takes' },
      }}
    />
  ));
}

/** Something that is moved along the song. */
interface Movable {
  readonly from: number;
  readonly to: number;
  readonly name: string;
  readonly what: string;
  /** As it is kept. */
  readonly of: (
    kept: Part,
  ) => { readonly from: number; readonly edits: (frames: number) => readonly Edit[] } | undefined;
}

interface BarProps {
  readonly part: Part;
  readonly width: number;
  /** Of a frame. */
  readonly pixels: number;
  readonly moved: Movable;
  /** What is moved with Shift. */
  readonly whole?: Movable;
}

/** Dragged with no grid, or moved by keys. */
function ShiftBar({ part, width, pixels, moved, whole = moved }: BarProps) {
  const open = useOpenSong();
  const view = useTimeView();
  const rateHz = useRate();
  const [by, setBy] = useState<number | null>(null);
  const left = Math.max(-4, (moved.from + (by ?? 0) - view.from) * pixels);
  const right = Math.min(width + 4, (moved.to + (by ?? 0) - view.from) * pixels);
  const keep = (what: Movable, frames: number) => {
    const { of, name } = what;
    const kept = open.keptPart(part.id);
    const own = kept && of(kept);
    if (!own || frames === 0) return;
    const edits = own.edits(frames);
    const at = (frame: number) => clock(Math.max(0, frame) / rateHz, 4);
    // A key that is held is one step.
    const step = `${name}: begins ${at(own.from)} → ${at(own.from + frames)}`;
    if (edits.length > 0) open.do(step, edits);
    else say(what === whole ? 'Nothing of it would be left: the song begins at 0.' : noEarlier);
  };
  const { handlers, cancel } = useGesture<{
    readonly x: number;
    readonly kept: Part;
    readonly what: Movable;
  }>({
    begin: (event) => {
      const kept = open.keptPart(part.id);
      return kept && { x: event.clientX, kept, what: event.shiftKey ? whole : moved };
    },
    move: (held, event) => {
      const frames = Math.round((event.clientX - held.x) / pixels);
      setBy(frames);
      open.preview(held.what.of(held.kept)?.edits(frames) ?? []);
    },
    end: (held, event) => {
      setBy(null);
      const frames = Math.round((event.clientX - held.x) / pixels);
      if (frames === 0) open.session.endPreview();
      else keep(held.what, frames);
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
      const frames = event.altKey ? 1 : Math.round(rateHz / (event.shiftKey ? 100 : 1000));
      keep(moved, direction * frames);
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
      aria-label={`${moved.name} begins at ${clock(moved.from / rateHz, 3)}; moved by dragging or by arrow keys`}
      title={`Drag: ${moved.what} earlier or later, with no grid${whole === moved ? '' : ' (with Shift: all of the part)'} · arrow keys: 1 ms (Shift: 10 ms; Alt: one sample)`}
      style={{ left, width: Math.max(2, right - left - (whole === moved ? 0 : 1)) }}
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
