import { withPoint } from '@pannet/core/moves/points';
import type { Curve } from '@pannet/core/moves/curve';
import type { MovingParameter } from '@pannet/core/parameters/tables';
import { clock } from '@pannet/core/quantities/wording';
import { songFrames } from '@pannet/core/song/song';
import type { MouseEvent } from 'react';
import { useOpenSong, useRate, useSession } from '../session/use-open-song.ts';
import { moveAxes, type Axis } from './move-axis.ts';
import { chosenRadius, laneHeight, shownAt, timesOf, yOf } from './move-line.ts';
import { MoveLine } from './MoveLine.tsx';
import { PointHandle } from './PointHandle.tsx';
import { useRestedView } from './use-rested-view.ts';

interface Props {
  readonly name: string;
  readonly parameter: MovingParameter;
  readonly axis: Axis;
  readonly curve: Curve;
  readonly width: number;
  /** While it is not on the screen, what was drawn last stays, without its points: many of them are dear even there. */
  readonly visible: boolean;
  readonly chosen: number | null;
  readonly onChosen: (n: number) => void;
  readonly onPreview: (next: Curve) => void;
  readonly onKeep: (what: string, next: Curve | null) => void;
  readonly onCancel: () => void;
}

/** A move over time: its line, and under it what is taken hold of, which waits until a zoom has come to rest. */
export function MoveDrawing(props: Props) {
  const { name, parameter, axis, curve, width, visible, chosen } = props;
  const { onChosen, onPreview, onKeep, onCancel } = props;
  const { timeView } = useOpenSong();
  const view = useRestedView(visible);
  const { marks, text } = moveAxes[parameter];
  const rateHz = useRate();
  const tempo = useSession(({ shown }) => shown.tempo);
  const songEnd = useSession(({ shown }) => songFrames(shown));
  const { x } = timesOf(view, width, rateHz);
  // What lies behind the end of the song no view shows: it is there for the keyboard.
  const isThere = (atS: number) =>
    visible &&
    ((x(atS) >= -chosenRadius && x(atS) <= width + chosenRadius) || atS * rateHz > songEnd);
  const addAt = (event: MouseEvent<SVGSVGElement>) => {
    if (curve.kind !== 'points') return;
    const box = event.currentTarget.getBoundingClientRect();
    const atS = timesOf(timeView.getState(), width, rateHz).seconds(event.clientX - box.left);
    const by = axis.addedBy(shownAt(axis, event.clientY - box.top));
    const next = withPoint(curve, { atS, by, shape: 'straight' }, parameter);
    if (!next) return;
    onKeep(`a point at ${clock(atS, 2)}`, next);
    onChosen(next.points.findIndex((point) => point.atS === atS));
  };
  return (
    <>
      <svg width={width} height={laneHeight} onDoubleClick={addAt} role="group" aria-label="Points">
        <path d={`M0 ${yOf(axis, axis.shown(0))}H${width}`} stroke="var(--rule)" />
        {marks.map((mark) => (
          <text
            key={mark}
            x={4}
            y={Math.min(laneHeight - 3, yOf(axis, mark) + 3)}
            fontSize={10}
            className="move-mark mono"
          >
            {text(mark)}
          </text>
        ))}
        {curve.kind === 'points' &&
          curve.points.map(
            (point, n) =>
              (isThere(point.atS) || chosen === n) && (
                <PointHandle
                  key={n}
                  name={name}
                  parameter={parameter}
                  axis={axis}
                  curve={curve}
                  n={n}
                  x={x(point.atS)}
                  secondsAPixel={(view.to - view.from) / width / rateHz}
                  onChosen={() => onChosen(n)}
                  onPreview={onPreview}
                  onKeep={onKeep}
                  onCancel={onCancel}
                />
              ),
          )}
      </svg>
      <MoveLine
        curve={curve}
        parameter={parameter}
        axis={axis}
        rateHz={rateHz}
        tempo={tempo}
        width={width}
        visible={visible}
        chosen={chosen}
      />
    </>
  );
}
