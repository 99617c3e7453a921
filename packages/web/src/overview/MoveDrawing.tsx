import { curveAt, cyclesAt, type Curve } from '@pannet/core/moves/curve';
import { movedPoint, withoutPoint, withPoint, type Points } from '@pannet/core/moves/points';
import { movingParameters, type MovingParameter } from '@pannet/core/parameters/tables';
import { clock } from '@pannet/core/quantities/wording';
import { songFrames } from '@pannet/core/song/song';
import type { KeyboardEvent, MouseEvent } from 'react';
import { say } from '../controls/notices.ts';
import { useGesture } from '../controls/use-gesture.ts';
import { changeText } from '../image/voice-edits.ts';
import { useRate, useSession, useTimeView } from '../session/open-song.ts';
import { moveAxes, type Axis } from './move-axis.ts';

interface Drawing {
  readonly name: string;
  readonly parameter: MovingParameter;
  readonly axis: Axis;
  readonly onPreview: (next: Curve) => void;
  readonly onKeep: (what: string, next: Curve | null) => void;
  readonly onCancel: () => void;
}

interface Props extends Drawing {
  readonly curve: Curve;
  readonly width: number;
  /** While it is not on the screen, what was drawn last stays, without its points: many of them are dear even there. */
  readonly visible: boolean;
  readonly chosen: number | null;
  readonly onChosen: (n: number) => void;
}

const laneHeight = 40;
const edge = 5;
/** Drawn every so many pixels. */
const drawnPixels = 2;
/** Of a point, its half, in pixels: what lies farther outside is not seen. */
const largestPoint = 5;

/** Where what is shown is drawn, and what lies at a height. */
const yOf = (axis: Axis, shown: number) => edge + (1 - axis.place(shown)) * (laneHeight - 2 * edge);
const shownAt = (axis: Axis, y: number) => axis.at(1 - (y - edge) / (laneHeight - 2 * edge));

const tenth = (value: number) => Math.round(10 * value) / 10;

/** The curve of a move over time, alone: it is drawn anew with each step of a zoom, and what is beside it is not. */
export function MoveDrawing(props: Props) {
  const { name, parameter, axis, curve, width, visible, chosen } = props;
  const { onChosen, onPreview, onKeep, onCancel } = props;
  const view = useTimeView(visible);
  const { marks, text } = moveAxes[parameter];
  const rateHz = useRate();
  const tempo = useSession(({ shown }) => shown.tempo);
  const songEnd = useSession(({ shown }) => songFrames(shown));
  const seconds = (x: number) => (view.from + (x / width) * (view.to - view.from)) / rateHz;
  const x = (atS: number) => ((atS * rateHz - view.from) / (view.to - view.from)) * width;
  // What lies behind the end of the song no view shows: it is there for the keyboard.
  const isThere = (atS: number) =>
    visible &&
    ((x(atS) >= -largestPoint && x(atS) <= width + largestPoint) || atS * rateHz > songEnd);
  const y = (px: number) =>
    yOf(axis, axis.shown(curveAt(curve, Math.max(0, seconds(px)), tempo, parameter)));
  const line = () => {
    const points: string[] = [];
    // Before it is laid out it has no width, and no time for any place.
    for (let px = 0; width > 0 && px <= width; px += drawnPixels)
      points.push(`${px},${y(px).toFixed(1)}`);
    return points.join(' ');
  };
  // What goes to and fro within a few pixels is a band.
  const pixelsACycle =
    curve.kind === 'cycle'
      ? width / (cyclesAt(curve, seconds(width), tempo) - cyclesAt(curve, seconds(0), tempo))
      : Infinity;
  const band =
    pixelsACycle < 4 * drawnPixels
      ? Array.from({ length: 32 }, (_, n) => y((n * pixelsACycle) / 32))
      : null;
  const addAt = (event: MouseEvent<SVGSVGElement>) => {
    if (curve.kind !== 'points') return;
    const box = event.currentTarget.getBoundingClientRect();
    const atS = seconds(event.clientX - box.left);
    const by = axis.addedBy(shownAt(axis, event.clientY - box.top));
    const next = withPoint(curve, { atS, by, shape: 'straight' }, parameter);
    if (!next) return;
    onKeep(`a point at ${clock(atS, 2)}`, next);
    onChosen(next.points.findIndex((point) => point.atS === atS));
  };
  return (
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
      {band ? (
        <rect
          x={0}
          y={Math.min(...band)}
          width={width}
          height={Math.max(1, Math.max(...band) - Math.min(...band))}
          fill="var(--quiet)"
        />
      ) : (
        <polyline points={line()} fill="none" stroke="var(--ink)" strokeWidth={1.25} />
      )}
      {curve.kind === 'points' &&
        curve.points.map(
          (point, n) =>
            (isThere(point.atS) || chosen === n) && (
              <PointMark
                key={n}
                name={name}
                parameter={parameter}
                axis={axis}
                curve={curve}
                n={n}
                chosen={chosen === n}
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
  );
}

interface PointProps extends Drawing {
  readonly curve: Points;
  readonly n: number;
  readonly chosen: boolean;
  readonly x: number;
  readonly secondsAPixel: number;
  readonly onChosen: () => void;
}

function PointMark(props: PointProps) {
  const { name, parameter, axis, curve, n, chosen, x, secondsAPixel } = props;
  const { onChosen, onPreview, onKeep, onCancel } = props;
  const { text, highest, lowest, roundedTo } = moveAxes[parameter];
  const { atS, by } = curve.points[n];
  const dragged = (held: Held, event: { clientX: number; clientY: number }) => {
    const point = held.curve.points[n];
    // A point that lies beyond the axis stays there while it is moved in time alone.
    const up = event.clientY - held.y;
    const y = yOf(axis, axis.shown(point.by)) + up;
    const to = up === 0 ? point.by : axis.addedBy(shownAt(axis, y));
    const atS = point.atS + (event.clientX - held.x) * secondsAPixel;
    return movedPoint(held.curve, n, { atS, by: to }, parameter);
  };
  const named = ({ points }: Points) =>
    `point at ${clock(points[n].atS, 2)}, ${text(axis.shown(points[n].by))}`;
  const { handlers, cancel } = useGesture<Held>({
    begin: (event) => ({ x: event.clientX, y: event.clientY, curve }),
    move: (held, event) => onPreview(dragged(held, event)),
    end: (held, event) => {
      if (event.clientX === held.x && event.clientY === held.y) onCancel();
      else {
        const next = dragged(held, event);
        onKeep(named(next), next);
      }
    },
    cancel: onCancel,
  });
  const onKeyDown = (event: KeyboardEvent) => {
    const fine = event.altKey ? 0.1 : event.shiftKey ? 10 : 1;
    const { step } = movingParameters[parameter];
    const up = Math.sign(highest - lowest) * Math.max(roundedTo, step * fine);
    const steps: Record<string, Partial<Points['points'][number]>> = {
      ArrowLeft: { atS: atS - 0.01 * fine },
      ArrowRight: { atS: atS + 0.01 * fine },
      ArrowUp: { by: tenth(by + up) },
      ArrowDown: { by: tenth(by - up) },
    };
    if (event.key in steps) {
      const next = movedPoint(curve, n, steps[event.key], parameter);
      const to = next.points[n];
      // A key that is held is one step.
      onKeep(
        to.by === by
          ? `point ${n + 1} ${clock(atS, 3)} → ${clock(to.atS, 3)}`
          : changeText(`point ${n + 1}`, axis.row, axis.shown(by), axis.shown(to.by)),
        next,
      );
    } else if (event.key === 'Delete' || event.key === 'Backspace') {
      const next = withoutPoint(curve, n);
      if (next) onKeep(`point at ${clock(atS, 2)} removed`, next);
      else say('The last point stays: what does not move stands still.');
    } else if (event.key !== 'Escape' || !cancel()) return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <circle
      {...handlers}
      className="move-point"
      role="button"
      tabIndex={0}
      aria-label={`Point of ${name} at ${clock(atS, 2)}: ${text(axis.shown(by))}`}
      cx={x}
      cy={yOf(axis, axis.shown(by))}
      r={chosen ? 5 : 4}
      fill={chosen ? 'var(--breaks)' : 'var(--ink)'}
      onFocus={onChosen}
      onKeyDown={onKeyDown}
      onDoubleClick={(event) => event.stopPropagation()}
    />
  );
}

interface Held {
  readonly x: number;
  readonly y: number;
  readonly curve: Points;
}
