import type { ColourPoint } from '@pannet/core/measurement/fold';
import type { StereoReport } from '@pannet/core/measurement/report';
import { figure } from '@pannet/core/quantities/wording';
import { Area, CartesianGrid, ComposedChart, Line, ReferenceLine, XAxis, YAxis } from 'recharts';
import { hzAxis } from '../controls/hz-axis.ts';

const width = 732;
const height = 200;
const lowestDb = -15;

interface Props {
  readonly report: StereoReport;
  readonly colour: readonly ColourPoint[];
}

/** What the fold of a file loses by third octave, its fine colour, and how its sides correlate. */
export function BandChart({ report, colour }: Props) {
  const held = (db: number) => Math.max(lowestDb, Math.min(3, db));
  const points = [
    ...report.fold.bands.map(({ hz, lossDb }, n) => ({
      hz,
      loss: lossDb === null ? undefined : held(lossDb),
      correlation: report.bandSides[n].correlation ?? undefined,
    })),
    ...colour.map(({ hz, db }) => ({ hz, colour: held(db) })),
  ].sort((a, b) => a.hz - b.hz);
  const tick = { fontSize: 12, fill: 'var(--quiet)' };
  return (
    <figure className="mt-3">
      <ComposedChart
        width={width}
        height={height}
        data={points}
        margin={{ top: 6, right: 0, bottom: 0, left: 0 }}
      >
        <CartesianGrid stroke="var(--rule)" strokeDasharray="2 3" vertical={false} />
        <XAxis {...hzAxis} />
        <YAxis
          yAxisId="db"
          width={34}
          type="number"
          domain={[lowestDb, 3]}
          ticks={[0, -3, -6, -12]}
          tickFormatter={(value: number) => figure(value, 0)}
          tick={tick}
          stroke="var(--edge)"
          allowDataOverflow
        />
        <YAxis
          yAxisId="correlation"
          orientation="right"
          width={34}
          type="number"
          domain={[-1, 1]}
          ticks={[-1, 0, 1]}
          tickFormatter={(value: number) => figure(value, 0)}
          tick={tick}
          stroke="var(--edge)"
        />
        <ReferenceLine yAxisId="db" y={0} stroke="var(--ink)" />
        <ReferenceLine yAxisId="db" y={-3} stroke="var(--edge)" strokeDasharray="4 3" />
        <Area
          yAxisId="db"
          dataKey="loss"
          type="step"
          baseValue={0}
          connectNulls
          stroke="var(--edge)"
          fill="var(--rule)"
          fillOpacity={1}
          isAnimationActive={false}
        />
        <Line
          yAxisId="db"
          dataKey="colour"
          stroke="var(--ink)"
          strokeWidth={1.5}
          dot={false}
          connectNulls
          isAnimationActive={false}
        />
        <Line
          yAxisId="correlation"
          dataKey="correlation"
          stroke="var(--breaks)"
          strokeDasharray="5 3"
          dot={false}
          connectNulls
          isAnimationActive={false}
        />
      </ComposedChart>
      <figcaption className="quiet small">
        dB over Hz · hanging: loss of the fold by third octave · <b>▬</b> its colour ·{' '}
        <span style={{ color: 'var(--breaks)' }}>╍</span> correlation of the sides, at the right
      </figcaption>
    </figure>
  );
}
