import { clock, signedFigure } from '@pannet/core/quantities/wording';
import type { Take } from '@pannet/core/song/song';
import type { Anchor } from '@pannet/core/takes/take';
import { useState, type KeyboardEvent } from 'react';
import { useGesture } from '../controls/use-gesture.ts';
import { useRate } from '../session/use-open-song.ts';
import type { TimeView } from '../waves/time-view.ts';

interface Props {
  readonly take: Take;
  readonly view: TimeView;
  readonly width: number;
  readonly height: number;
  readonly onHold: (what: string, anchors: readonly Anchor[]) => void;
}

/** What of a take lies at a frame as it is heard: its frame before it was lined up. */
export function placeAt({ align }: Take, frame: number): number {
  const path = align?.path;
  const shift = path
    ? path.shift[
        Math.max(
          0,
          path.at.findLastIndex((at) => at <= frame),
        )
      ]
    : 0;
  return Math.max(0, frame + shift);
}

/** A take's anchors with one more, or with one elsewhere; null where it would be heard before or behind another. */
export function withAnchor(
  anchors: readonly Anchor[],
  next: Anchor,
  instead: Anchor | null = null,
): readonly Anchor[] | null {
  const all = [...anchors.filter((anchor) => anchor !== instead), next].sort(
    (a, b) => a.place - b.place,
  );
  const inOrder = all.every(
    ({ place, at }, n) => n === 0 || (place > all[n - 1].place && at > all[n - 1].at),
  );
  return inOrder ? all : null;
}

/** Places at which a take is held by hand: dragged or moved by keys, Delete lets go. The way between them is found anew. */
export function Anchors({ take, view, width, height, onHold }: Props) {
  const anchors = take.align?.anchors ?? [];
  const pixels = width / (view.to - view.from);
  const seen = anchors.filter(({ at }) => at >= view.from && at <= view.to);
  if (seen.length === 0) return null;
  return (
    <svg
      className="take-anchors"
      width={width}
      height={height}
      role="group"
      aria-label={`Anchors of ${take.name}`}
    >
      {seen.map((anchor) => (
        <AnchorMark
          key={anchor.place}
          take={take}
          anchor={anchor}
          x={(anchor.at - view.from) * pixels}
          pixels={pixels}
          height={height}
          onMove={(what, at) => {
            const moved = withAnchor(anchors, { ...anchor, at }, anchor);
            if (moved) onHold(what, moved);
          }}
          onLetGo={() =>
            onHold(
              'let go',
              anchors.filter((other) => other !== anchor),
            )
          }
        />
      ))}
    </svg>
  );
}

interface MarkProps {
  readonly take: Take;
  readonly anchor: Anchor;
  readonly x: number;
  readonly pixels: number;
  readonly height: number;
  readonly onMove: (what: string, at: number) => void;
  readonly onLetGo: () => void;
}

const flagPixels = 9;

function AnchorMark({ take, anchor, x, pixels, height, onMove, onLetGo }: MarkProps) {
  const rateHz = useRate();
  /** Pixels that it is dragged by. */
  const [by, setBy] = useState(0);
  const moveBy = (frames: number) =>
    onMove(`held ${signedFigure((frames / rateHz) * 1000, 2)} ms`, Math.max(0, anchor.at + frames));
  const { handlers, cancel } = useGesture<number, SVGGElement>({
    begin: ({ clientX }) => clientX,
    move: (from, { clientX }) => setBy(clientX - from),
    end: (from, { clientX }) => {
      setBy(0);
      const frames = Math.round((clientX - from) / pixels);
      if (frames !== 0) moveBy(frames);
    },
    cancel: () => setBy(0),
  });
  const onKeyDown = (event: KeyboardEvent) => {
    const direction = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (direction !== 0)
      moveBy(direction * (event.altKey ? 1 : Math.round(rateHz / (event.shiftKey ? 100 : 1000))));
    else if (event.key === 'Delete' || event.key === 'Backspace') onLetGo();
    else if (event.key !== 'Escape' || !cancel()) return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <g
      {...handlers}
      className="take-anchor"
      role="button"
      tabIndex={0}
      aria-label={`Anchor of ${take.name} at ${clock(anchor.at / rateHz, 3)}`}
      transform={`translate(${x + by} 0)`}
      onKeyDown={onKeyDown}
    >
      <title>
        Held here. Drag, or arrow keys: 1 ms (Shift: 10 ms; Alt: one sample); Delete lets go
      </title>
      <rect x={-flagPixels} width={2 * flagPixels} height={height} fill="transparent" />
      <path d={`M0 0V${height}`} stroke="var(--ink)" strokeWidth={1.25} />
      <path d={`M-5 0H5L0 ${flagPixels}Z`} fill="var(--ink)" />
    </g>
  );
}
