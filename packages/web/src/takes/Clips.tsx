import { movedClip, trimmedClip } from '@pannet/core/takes/clip-edits';
import { clock, plural, signedFigure } from '@pannet/core/quantities/wording';
import type { Part, Take } from '@pannet/core/song/song';
import type { Clip } from '@pannet/core/takes/take';
import { useState, type KeyboardEvent } from 'react';
import { TimeField } from '../controls/TimeField.tsx';
import { say } from '../controls/notices.ts';
import { useGesture } from '../controls/use-gesture.ts';
import { useBars, useOpenSong, useRate, useRecordings } from '../session/use-open-song.ts';
import type { TimeView } from '../waves/time-view.ts';
import { ShiftField } from './ShiftField.tsx';

interface Props {
  readonly part: Part;
  readonly take: Take;
  readonly view: TimeView;
  readonly width: number;
  readonly height: number;
}

/** Nearer to its edge than this a clip is trimmed, farther in it is moved. */
const edgePixels = 6;

/** A take's clips as boxes: dragged in the middle they are moved, at an edge trimmed; arrow keys nudge, Delete removes. */
export function Clips({ part, take, view, width, height }: Props) {
  const open = useOpenSong();
  const rateHz = useRate();
  const bars = useBars();
  const [chosen, setChosen] = useState<number | null>(null);
  const { clips } = take;
  if (!clips) return null;
  const edit = (n: number, clip: Clip | null) => ({
    kind: 'set-take' as const,
    partId: part.id,
    takeId: take.id,
    changes: { clips: clip ? clips.with(n, clip) : clips.toSpliced(n, 1) },
  });
  const keep = (what: string, n: number, clip: Clip | null) => {
    if (!clip && clips.length === 1) {
      say('The last clip stays: a take that is heard nowhere is removed or muted.');
      return;
    }
    open.do(`${part.name}, ${take.name}: clip ${n + 1} ${what}`, [edit(n, clip)]);
  };
  const pixels = width / (view.to - view.from);
  const shift = take.align?.path?.shift[0] ?? 0;
  const at = chosen === null ? undefined : clips.at(chosen);
  return (
    <>
      <svg width={width} height={height} role="group" aria-label={`Clips of ${take.name}`}>
        {clips.map((clip, n) => {
          const from = (clip.atFrame - shift - view.from) * pixels;
          const to = from + (clip.toFrame - clip.fromFrame) * pixels;
          if (to < 0 || from > width) return null;
          return (
            <ClipBox
              key={n}
              take={take}
              clip={clip}
              label={`Clip ${n + 1} of ${take.name}: ${clock(clip.atFrame / rateHz, 3)}, ${clock((clip.toFrame - clip.fromFrame) / rateHz, 3)} long`}
              from={from}
              to={to}
              height={height}
              pixels={pixels}
              onPreview={(next) => open.preview([edit(n, next)])}
              onKeep={(what, next) => keep(what, n, next)}
              onCancel={() => open.session.endPreview()}
              onChosen={() => setChosen(n)}
            />
          );
        })}
      </svg>
      {at && chosen !== null && (
        <span className="take-clip-at small">
          <span className="quiet">
            clip {chosen + 1} of {plural(clips.length, 'clip')} at
          </span>
          <TimeField
            label={`Place of clip ${chosen + 1} of ${take.name}`}
            seconds={at.atFrame / rateHz}
            sample={1 / rateHz}
            tempo={bars}
            onCommit={(seconds) =>
              keep(`at ${clock(seconds, 3)}`, chosen, {
                ...at,
                atFrame: Math.max(0, Math.round(seconds * rateHz)),
              })
            }
            onRefuse={say}
          />
          <ShiftField
            label={`Move clip ${chosen + 1} of ${take.name} by`}
            at={at.atFrame}
            onShift={(frames) =>
              keep(`${signedFigure((frames / rateHz) * 1000, 2)} ms`, chosen, movedClip(at, frames))
            }
          />
        </span>
      )}
    </>
  );
}

interface BoxProps {
  readonly take: Take;
  readonly clip: Clip;
  readonly label: string;
  readonly from: number;
  readonly to: number;
  readonly height: number;
  readonly pixels: number;
  readonly onPreview: (clip: Clip) => void;
  readonly onKeep: (what: string, clip: Clip | null) => void;
  readonly onCancel: () => void;
  readonly onChosen: () => void;
}

function ClipBox(props: BoxProps) {
  const { take, clip, label, from, to, height, pixels, onPreview, onKeep, onCancel, onChosen } =
    props;
  const recording = useRecordings()[take.recording];
  const rateHz = useRate();
  const ms = (frames: number) => `${signedFigure((frames / rateHz) * 1000, 2)} ms`;
  const dragged = (how: Held, x: number): Clip => {
    const by = Math.round((x - how.x) / pixels);
    return how.edge === null
      ? movedClip(how.clip, by)
      : trimmedClip(how.clip, how.edge, by, recording.frames);
  };
  const { handlers, cancel } = useGesture<Held, SVGRectElement>({
    begin: (event) => {
      const x = event.clientX - event.currentTarget.ownerSVGElement!.getBoundingClientRect().left;
      const edge = x - from < edgePixels ? 'start' : to - x < edgePixels ? 'end' : null;
      return { x: event.clientX, clip, edge };
    },
    move: (held, event) => onPreview(dragged(held, event.clientX)),
    end: (held, event) => {
      const next = dragged(held, event.clientX);
      if (held.edge === null && next.atFrame !== held.clip.atFrame)
        onKeep(ms(next.atFrame - held.clip.atFrame), next);
      else if (held.edge !== null) onKeep(`trimmed at its ${held.edge}`, next);
      else onCancel();
    },
    cancel: onCancel,
  });
  const onKeyDown = (event: KeyboardEvent) => {
    const direction = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (direction !== 0) {
      const step = event.altKey ? 1 : Math.round(rateHz / (event.shiftKey ? 100 : 1000));
      onKeep(ms(direction * step), movedClip(clip, direction * step));
    } else if (event.key === 'Delete' || event.key === 'Backspace') onKeep('removed', null);
    else if (event.key !== 'Escape' || !cancel()) return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <rect
      {...handlers}
      className="clip-box"
      role="button"
      tabIndex={0}
      aria-label={label}
      x={from}
      y={0.5}
      width={Math.max(3, to - from)}
      height={height - 1}
      onFocus={onChosen}
      onKeyDown={onKeyDown}
    />
  );
}

interface Held {
  readonly x: number;
  readonly clip: Clip;
  readonly edge: 'start' | 'end' | null;
}
