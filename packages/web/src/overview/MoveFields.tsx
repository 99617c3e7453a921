import { depthKeys, type Curve } from '@pannet/core/moves/curve';
import { movedPoint, type Points } from '@pannet/core/moves/points';
import {
  cycleParameters,
  cycleRateParameters,
  type MovingParameter,
} from '@pannet/core/parameters/tables';
import { clock } from '@pannet/core/quantities/wording';
import { NumberField } from '../controls/NumberField.tsx';
import { say } from '../controls/notices.ts';
import { TimeField } from '../controls/TimeField.tsx';
import { changeText } from '../image/voice-edits.ts';
import { useBars, useRate } from '../session/use-open-song.ts';
import { axisOf } from './move-axis.ts';

interface Fields<Of extends Curve> {
  readonly parameter: MovingParameter;
  /** What is set. */
  readonly base: number;
  readonly onPreview: (next: Curve) => void;
  readonly onKeep: (what: string, next: Curve | null) => void;
  /** As it is shown, and as it is kept: what is changed is said from there. */
  readonly curve: Of;
  readonly kept: () => Curve;
}

/** The chosen point, typed. */
export function PointFields(props: Fields<Points> & { readonly n: number | null }) {
  const { curve, parameter, base, kept, n, onKeep, onPreview } = props;
  const { row, shown, addedBy } = axisOf(parameter, base);
  const rateHz = useRate();
  const bars = useBars();
  const point = n === null ? undefined : curve.points.at(n);
  if (!point || n === null)
    return <span className="quiet small">double click: a point · drag it · Delete removes it</span>;
  const at = (what: string, to: Partial<typeof point>) =>
    onKeep(what, movedPoint(curve, n, to, parameter));
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
        tempo={bars}
        onCommit={(atS) => at(`point at ${clock(atS, 2)}`, { atS })}
        onRefuse={say}
      />
      <NumberField
        parameter={row}
        label={`${parameter === 'levelDb' ? 'Level' : row.label} of the point`}
        value={shown(point.by)}
        width={78}
        onPreview={(to) => onPreview(movedPoint(curve, n, { by: addedBy(to) }, parameter))}
        onCommit={(to) =>
          at(changeText(`point ${n + 1}`, row, shown(before()), to), { by: addedBy(to) })
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

/** A cycle's values; of a level it only takes away, so that it never makes louder. */
export function CycleFields({ curve, parameter: moving, kept, onKeep, onPreview }: Fields<Cycle>) {
  const depth = depthKeys[moving];
  const { rate, phasePercent, shape } = curve;
  const parameter = cycleRateParameters[rate.unit];
  const before = () => {
    const was = kept();
    return was.kind === 'cycle' ? was : curve;
  };
  const rated = (value: number): Cycle => ({ ...curve, rate: { ...rate, value } });
  const value = (key: keyof typeof cycleParameters, now: number) => (
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
      {value(depth, curve[depth])}
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
