import { Trash } from '@phosphor-icons/react';
import { curveAt, curveDescription, type Curve } from '@pannet/core/moves/curve';
import { movedPoint, withoutPoint, withPoint, type Points } from '@pannet/core/moves/points';
import {
  cycleParameters,
  cycleRateParameters,
  pointParameters,
} from '@pannet/core/parameters/tables';
import { clock, signedFigure } from '@pannet/core/quantities/wording';
import { moveOf, withMove, type MoveTarget } from '@pannet/core/song/moves-of';
import { useState, type KeyboardEvent, type MouseEvent } from 'react';
import { NumberField } from '../controls/NumberField.tsx';
import { say } from '../controls/notices.ts';
import { TimeField } from '../controls/TimeField.tsx';
import { useGesture } from '../controls/use-gesture.ts';
import { changeText } from '../image/voice-edits.ts';
import { useOpenSong, useRate, useSession, useTimeView } from '../session/open-song.ts';

interface Props {
  /** Of what moves. */
  readonly name: string;
  readonly target: MoveTarget;
  readonly curve: Curve;
  readonly width: number;
}

const laneHeight = 44;
/** What the lane shows of a level, in dB; what lies beyond is drawn at its edge. */
const highestDb = 6;
const lowestDb = -30;
const edge = 5;
/** Drawn every so many pixels. */
const drawnPixels = 2;

const yOf = (db: number) =>
  edge +
  ((highestDb - Math.min(highestDb, Math.max(lowestDb, db))) / (highestDb - lowestDb)) *
    (laneHeight - 2 * edge);
const dbOf = (y: number) =>
  highestDb - ((y - edge) / (laneHeight - 2 * edge)) * (highestDb - lowestDb);
const tenth = (db: number) => Math.round(10 * db) / 10;

const words = { levelDb: 'level', flanksDb: 'flanks' } as const;

/** How a level (or that of the flanks) goes along the song, under what it belongs to: points that are dragged, or a cycle. */
export function MoveLane({ name, target, curve, width }: Props) {
  const open = useOpenSong();
  const view = useTimeView();
  const what = words[target.parameter];
  const said = `${what.replace(/^./, (letter) => letter.toUpperCase())} of ${name}`;
  const rateHz = useRate();
  const tempo = useSession(({ shown }) => shown.tempo);
  const [chosen, setChosen] = useState<number | null>(null);
  const edits = (next: Curve | null) => {
    const { song } = open.session.store.getState();
    return [
      { kind: 'set-moves', moves: withMove(song, target, next, crypto.randomUUID()) } as const,
    ];
  };
  const keep = (how: string, next: Curve | null) => {
    if (next) open.do(`${name}, ${what}: ${how}`, edits(next));
  };
  const preview = (next: Curve) => open.preview(edits(next));
  const kept = () => moveOf(open.session.store.getState().song, target)?.curve ?? curve;
  const seconds = (x: number) => (view.from + (x / width) * (view.to - view.from)) / rateHz;
  const x = (atS: number) => ((atS * rateHz - view.from) / (view.to - view.from)) * width;
  const line: string[] = [];
  for (let px = 0; px <= width; px += drawnPixels)
    line.push(`${px},${yOf(curveAt(curve, Math.max(0, seconds(px)), tempo)).toFixed(1)}`);
  const addAt = (event: MouseEvent<SVGSVGElement>) => {
    if (curve.kind !== 'points') return;
    const box = event.currentTarget.getBoundingClientRect();
    const atS = seconds(event.clientX - box.left);
    const by = tenth(dbOf(event.clientY - box.top));
    const next = withPoint(curve, { atS, by, shape: 'straight' });
    if (!next) return;
    keep(`a point at ${clock(atS, 2)}`, next);
    setChosen(next.points.findIndex((point) => point.atS === atS));
  };
  return (
    <div className="move-lane" role="group" aria-label={`${said} along the song`}>
      <svg width={width} height={laneHeight} onDoubleClick={addAt} role="group" aria-label="Points">
        <path d={`M0 ${yOf(0)}H${width}`} stroke="var(--rule)" />
        {target.parameter === 'flanksDb' && (
          <text x={62} y={yOf(0) + 11} fontSize={10} fill="var(--quiet)">
            flanks
          </text>
        )}
        {[0, -18].map((db) => (
          <text key={db} x={4} y={yOf(db) + 11} fontSize={10} className="mono" fill="var(--quiet)">
            {signedFigure(db, 0)} dB
          </text>
        ))}
        <polyline points={line.join(' ')} fill="none" stroke="var(--ink)" strokeWidth={1.25} />
        {curve.kind === 'points' &&
          curve.points.map((point, n) => (
            <PointMark
              key={n}
              name={name}
              curve={curve}
              n={n}
              chosen={chosen === n}
              x={x(point.atS)}
              secondsAPixel={(view.to - view.from) / width / rateHz}
              onChosen={() => setChosen(n)}
              onPreview={preview}
              onKeep={keep}
              onCancel={() => open.session.endPreview()}
            />
          ))}
      </svg>
      <span className="move-tools">
        {curve.kind === 'points' ? (
          <PointFields curve={curve} kept={kept} n={chosen} onKeep={keep} onPreview={preview} />
        ) : (
          <CycleFields curve={curve} kept={kept} onKeep={keep} onPreview={preview} />
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
          onClick={() => open.do(`${name}: ${what} stands still`, edits(null))}
        >
          <Trash aria-hidden />
        </button>
      </span>
    </div>
  );
}

interface PointProps {
  readonly name: string;
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
  const { name, curve, n, chosen, x, secondsAPixel, onChosen, onPreview, onKeep, onCancel } = props;
  const { atS, by } = curve.points[n];
  const dragged = (held: Held, event: { clientX: number; clientY: number }) =>
    movedPoint(held.curve, n, {
      atS: held.curve.points[n].atS + (event.clientX - held.x) * secondsAPixel,
      by: tenth(dbOf(yOf(held.curve.points[n].by) + event.clientY - held.y)),
    });
  const named = ({ points }: Points) =>
    `point at ${clock(points[n].atS, 2)}, ${signedFigure(points[n].by, 1)} dB`;
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
    const steps: Record<string, Partial<Points['points'][number]>> = {
      ArrowLeft: { atS: atS - 0.01 * fine },
      ArrowRight: { atS: atS + 0.01 * fine },
      ArrowUp: { by: tenth(by + 0.5 * fine) },
      ArrowDown: { by: tenth(by - 0.5 * fine) },
    };
    if (event.key in steps) {
      const next = movedPoint(curve, n, steps[event.key]);
      const to = next.points[n];
      // A key that is held is one step.
      onKeep(
        to.by === by
          ? `point ${n + 1} ${clock(atS, 3)} → ${clock(to.atS, 3)}`
          : changeText(`point ${n + 1}`, pointParameters.by, by, to.by),
        next,
      );
    } else if (event.key === 'Delete' || event.key === 'Backspace') {
      const next = withoutPoint(curve, n);
      if (next) onKeep(`point at ${clock(atS, 2)} removed`, next);
      else say('The last point stays: a level that does not move stands still.');
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
      aria-label={`Point of ${name} at ${clock(atS, 2)}: ${signedFigure(by, 1)} dB`}
      cx={x}
      cy={yOf(by)}
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

interface Fields<Of extends Curve> extends Pick<PointProps, 'onKeep' | 'onPreview'> {
  /** As it is shown, and as it is kept: what is changed is said from there. */
  readonly curve: Of;
  readonly kept: () => Curve;
}

/** The chosen point, typed. */
function PointFields(props: Fields<Points> & { readonly n: number | null }) {
  const { curve, kept, n, onKeep, onPreview } = props;
  const rateHz = useRate();
  const point = n === null ? undefined : curve.points.at(n);
  if (!point || n === null)
    return <span className="quiet small">double click: a point · drag it · Delete removes it</span>;
  const at = (what: string, to: Partial<typeof point>) => onKeep(what, movedPoint(curve, n, to));
  const before = () => {
    const was = kept();
    return was.kind === 'points' ? was.points[n].by : point.by;
  };
  return (
    <>
      <TimeField
        label="Time of the point"
        seconds={point.atS}
        sample={1 / rateHz}
        onCommit={(atS) => at(`point at ${clock(atS, 2)}`, { atS })}
        onRefuse={say}
      />
      <NumberField
        parameter={pointParameters.by}
        label="Level of the point"
        value={point.by}
        width={78}
        onPreview={(by) => onPreview(movedPoint(curve, n, { by }))}
        onCommit={(by) =>
          at(changeText(`point ${n + 1}`, pointParameters.by, before(), by), { by })
        }
      />
      <select
        className="plain-select"
        aria-label="How it goes on"
        value={point.shape}
        onChange={(event) =>
          at(`point goes on ${event.target.value}`, {
            shape: event.target.value as typeof point.shape,
          })
        }
      >
        <option value="straight">straight</option>
        <option value="smooth">smooth</option>
        <option value="step">in a step</option>
      </select>
    </>
  );
}

type Cycle = Extract<Curve, { readonly kind: 'cycle' }>;

/** A cycle's values; it only takes away, so that it never makes louder. */
function CycleFields({ curve, kept, onKeep, onPreview }: Fields<Cycle>) {
  const { rate, depthDb, phasePercent, shape } = curve;
  const parameter = cycleRateParameters[rate.unit];
  const before = () => {
    const was = kept();
    return was.kind === 'cycle' ? was : curve;
  };
  const rated = (value: number): Cycle => ({ ...curve, rate: { ...rate, value } });
  const value = (key: 'depthDb' | 'phasePercent', now: number) => (
    <NumberField
      parameter={cycleParameters[key]}
      label={cycleParameters[key].label}
      value={now}
      width={78}
      onPreview={(to) => onPreview({ ...curve, [key]: to })}
      onCommit={(to) =>
        onKeep(
          changeText(
            cycleParameters[key].label.toLowerCase(),
            cycleParameters[key],
            before()[key],
            to,
          ),
          { ...curve, [key]: to },
        )
      }
    />
  );
  return (
    <>
      <span className="quiet small">{parameter.label.toLowerCase()}</span>
      <NumberField
        parameter={parameter}
        label="Rate of the cycle"
        value={rate.value}
        width={84}
        onPreview={(to) => onPreview(rated(to))}
        onCommit={(to) =>
          onKeep(changeText('cycle', parameter, before().rate.value, to), rated(to))
        }
      />
      <select
        className="plain-select"
        aria-label="Unit of the rate"
        value={rate.unit}
        onChange={(event) =>
          onKeep(`cycle in ${event.target.value}`, {
            ...curve,
            rate: { value: rate.value, unit: event.target.value as Cycle['rate']['unit'] },
          })
        }
      >
        <option value="Hz">a second</option>
        <option value="beats">beats</option>
      </select>
      <span className="quiet small">depth</span>
      {value('depthDb', depthDb)}
      <span className="quiet small">phase</span>
      {value('phasePercent', phasePercent)}
      <select
        className="plain-select"
        aria-label="Shape of the cycle"
        value={shape}
        onChange={(event) =>
          onKeep(`cycle ${event.target.value}`, {
            ...curve,
            shape: event.target.value as Cycle['shape'],
          })
        }
      >
        <option value="sine">sine</option>
        <option value="triangle">triangle</option>
        <option value="square">square</option>
      </select>
    </>
  );
}
