import { movedPoint, withoutPoint, type Points } from '@pannet/core/moves/points';
import { movingParameters, type MovingParameter } from '@pannet/core/parameters/tables';
import { clock } from '@pannet/core/quantities/wording';
import type { KeyboardEvent } from 'react';
import { say } from '../controls/notices.ts';
import { useGesture } from '../controls/use-gesture.ts';
import { changeText } from '../image/voice-edits.ts';
import { moveAxes, type Axis } from './move-axis.ts';
import { chosenRadius, shownAt, yOf } from './move-line.ts';

interface Props {
  readonly name: string;
  readonly parameter: MovingParameter;
  readonly axis: Axis;
  readonly curve: Points;
  readonly n: number;
  readonly x: number;
  readonly secondsAPixel: number;
  readonly onChosen: () => void;
  readonly onPreview: (next: Points) => void;
  readonly onKeep: (what: string, next: Points) => void;
  readonly onCancel: () => void;
}

interface Held {
  readonly x: number;
  readonly y: number;
  readonly curve: Points;
}

const tenth = (value: number) => Math.round(10 * value) / 10;

/** A point of a move, where it is taken hold of: the line below draws it. */
export function PointHandle(props: Props) {
  const { name, parameter, axis, curve, n, x, secondsAPixel } = props;
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
      r={chosenRadius}
      onFocus={onChosen}
      onKeyDown={onKeyDown}
      onDoubleClick={(event) => event.stopPropagation()}
    />
  );
}
