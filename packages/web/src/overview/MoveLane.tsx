import { Copy, Trash } from '@phosphor-icons/react';
import { curveAt, curveDescription, cyclesAt, type Curve } from '@pannet/core/moves/curve';
import {
  leastApartS,
  movedPoint,
  withoutPoint,
  withPoint,
  type Points,
} from '@pannet/core/moves/points';
import { withCopy } from '@pannet/core/moves/written';
import { movingParameters, type MovingParameter } from '@pannet/core/parameters/tables';
import { clock } from '@pannet/core/quantities/wording';
import { moveOf, type MoveTarget } from '@pannet/core/song/moves-of';
import { movingWords } from '@pannet/core/song/settings';
import { useState, type KeyboardEvent, type MouseEvent } from 'react';
import { say } from '../controls/notices.ts';
import { useGesture } from '../controls/use-gesture.ts';
import { changeText } from '../image/voice-edits.ts';
import {
  useOpenSong,
  usePlayback,
  useRate,
  useSession,
  useTimeView,
} from '../session/open-song.ts';
import { axisOf, moveAxes, type Axis } from './move-axis.ts';
import { CycleFields, PointFields } from './MoveFields.tsx';
import { useMoves } from './use-moves.ts';
import { MotionFigures } from './MotionFigures.tsx';
import { WriteFader } from './WriteFader.tsx';

interface Props {
  /** Of what moves. */
  readonly name: string;
  readonly target: MoveTarget;
  /** What is set, in the unit of what moves. */
  readonly base?: number;
  readonly curve: Curve;
  readonly width: number;
}

const laneHeight = 40;
const edge = 5;
/** Drawn every so many pixels. */
const drawnPixels = 2;

/** Where what is shown is drawn, and what lies at a height. */
const yOf = (axis: Axis, shown: number) => edge + (1 - axis.place(shown)) * (laneHeight - 2 * edge);
const shownAt = (axis: Axis, y: number) => axis.at(1 - (y - edge) / (laneHeight - 2 * edge));

const tenth = (value: number) => Math.round(10 * value) / 10;

/** How something goes along the song, under what it belongs to: points that are dragged, or a cycle. */
export function MoveLane({ name, target, base = 0, curve, width }: Props) {
  const open = useOpenSong();
  const moves = useMoves();
  const view = useTimeView();
  const { parameter } = target;
  const { marks, text } = moveAxes[parameter];
  const what = movingWords[parameter];
  const axis = axisOf(parameter, base);
  const said = `${what.replace(/^./, (letter) => letter.toUpperCase())} of ${name}`;
  const rateHz = useRate();
  const tempo = useSession(({ shown }) => shown.tempo);
  const [chosen, setChosen] = useState<number | null>(null);
  const keep = (how: string, next: Curve | null) => {
    if (next) moves.keep(`${name}, ${what}: ${how}`, target, next);
  };
  const preview = (next: Curve) => moves.preview(target, next);
  const kept = () => moveOf(open.session.store.getState().song, target)?.curve ?? curve;
  const seconds = (x: number) => (view.from + (x / width) * (view.to - view.from)) / rateHz;
  const x = (atS: number) => ((atS * rateHz - view.from) / (view.to - view.from)) * width;
  const y = (px: number) =>
    yOf(axis, axis.shown(curveAt(curve, Math.max(0, seconds(px)), tempo, parameter)));
  const line: string[] = [];
  // Before it is laid out it has no width, and no time for any place.
  for (let px = 0; width > 0 && px <= width; px += drawnPixels)
    line.push(`${px},${y(px).toFixed(1)}`);
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
    keep(`a point at ${clock(atS, 2)}`, next);
    setChosen(next.points.findIndex((point) => point.atS === atS));
  };
  const fields = { parameter, base, kept, onKeep: keep, onPreview: preview };
  return (
    <div className="move-lane" role="group" aria-label={`${said} along the song`}>
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
          <polyline points={line.join(' ')} fill="none" stroke="var(--ink)" strokeWidth={1.25} />
        )}
        {curve.kind === 'points' &&
          curve.points.map((point, n) => (
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
              onChosen={() => setChosen(n)}
              onPreview={preview}
              onKeep={keep}
              onCancel={moves.cancel}
            />
          ))}
      </svg>
      {curve.kind === 'cycle' && <MotionFigures target={target} />}
      <div className="move-tools">
        <span className="quiet small text-truncate">{`${name}: ${what}`}</span>
        <span className="flex-grow-1" />
        {curve.kind === 'points' ? (
          <>
            <PointFields curve={curve} n={chosen} {...fields} />
            <CopyLoop name={name} curve={curve} parameter={parameter} onKeep={keep} />
            <WriteFader name={name} target={target} base={base} curve={curve} />
          </>
        ) : (
          <CycleFields curve={curve} {...fields} />
        )}
        <select
          className="plain-select"
          aria-label={`How the ${what} of ${name} moves`}
          value={curve.kind}
          onChange={(event) =>
            keep(
              event.target.value === 'cycle' ? 'in a cycle' : 'by points',
              curveDescription.parse(
                event.target.value === 'cycle'
                  ? { kind: 'cycle' }
                  : { kind: 'points', points: [{ atS: 0, by: 0 }] },
              ) as Curve,
            )
          }
        >
          <option value="points">points</option>
          <option value="cycle">a cycle</option>
        </select>
        <button
          type="button"
          className="btn-tool"
          aria-label={`Let the ${what} of ${name} stand still`}
          title="Let it stand still"
          onClick={() => moves.keep(`${name}: ${what} stands still`, target, null)}
        >
          <Trash aria-hidden />
        </button>
      </div>
    </div>
  );
}

interface CopyProps extends Pick<PointProps, 'name' | 'parameter' | 'onKeep'> {
  readonly curve: Points;
}

/** What moves in the loop, once more from the playhead on. */
function CopyLoop({ name, curve, parameter, onKeep }: CopyProps) {
  const { playback } = useOpenSong();
  const rateHz = useRate();
  const loop = usePlayback((state) => state.loop);
  if (!loop) return null;
  const copy = () => {
    const [fromS, toS] = [loop.start / rateHz, loop.end / rateHz];
    const atS = playback.store.getState().frame / rateHz;
    if (Math.abs(atS - fromS) < leastApartS) {
      say('The playhead stands at the beginning of the loop: go to where the copy begins first.');
      return;
    }
    onKeep(
      `${clock(fromS, 2)}–${clock(toS, 2)} copied to ${clock(atS, 2)}`,
      withCopy(curve, { fromS, toS }, atS, parameter),
    );
  };
  return (
    <button
      type="button"
      className="btn-tool"
      aria-label={`Copy what ${name} does in the loop to the playhead`}
      title="Copy what is in the loop to the playhead"
      onClick={copy}
    >
      <Copy aria-hidden />
    </button>
  );
}

interface PointProps {
  readonly name: string;
  readonly parameter: MovingParameter;
  readonly axis: Axis;
  readonly curve: Points;
  readonly n: number;
  readonly chosen: boolean;
  readonly x: number;
  readonly secondsAPixel: number;
  readonly onChosen: () => void;
  readonly onPreview: (next: Curve) => void;
  readonly onKeep: (what: string, next: Curve | null) => void;
  readonly onCancel: () => void;
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
