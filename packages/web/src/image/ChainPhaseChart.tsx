import type { ChainPhase } from '@pannet/core/findings/chain-phase';
import { CartesianGrid, Line, LineChart, XAxis, YAxis } from 'recharts';
import { hzAxis } from '../controls/hz-axis.ts';
import { useSize } from '../controls/use-size.ts';

const height = 72;
const tick = { fontSize: 11, fill: 'var(--quiet)' };
const margin = { top: 4, right: 6, bottom: 0, left: 0 };

/** What of two chains no delay brings together: phase over frequency, and what their fold loses, as they are and lined up. */
export function ChainPhaseChart({ rows }: { readonly rows: readonly ChainPhase[] }) {
  const { ref, width } = useSize<HTMLDivElement>();
  const data = rows.map((row) => ({ ...row }));
  const charts = [
    {
      name: 'Phase that is left, in degrees',
      domain: [-180, 180] as const,
      ticks: [-180, 0, 180],
      lines: [{ key: 'degrees', stroke: 'var(--ink)', dash: undefined }],
      caption: 'phase left once lined up, °',
    },
    {
      name: 'Loss of the fold, in dB',
      domain: [-18, 0] as const,
      ticks: [-18, -9, 0],
      lines: [
        { key: 'lossDb', stroke: 'var(--breaks)', dash: undefined },
        { key: 'linedUpLossDb', stroke: 'var(--ink)', dash: '3 2' },
      ],
      caption: 'fold loss, dB · dashed: lined up',
    },
  ];
  return (
    <div ref={ref} className="chain-phase">
      {charts.map(({ name, domain, ticks, lines, caption }) => (
        <figure key={name} role="img" aria-label={name}>
          <LineChart width={Math.max(120, width)} height={height} data={data} margin={margin}>
            <CartesianGrid stroke="var(--rule)" strokeDasharray="2 3" vertical={false} />
            <XAxis {...hzAxis} ticks={[100, 1000, 10_000]} tick={tick} />
            <YAxis
              width={28}
              type="number"
              domain={[...domain]}
              ticks={ticks}
              tick={tick}
              stroke="var(--edge)"
              allowDataOverflow
            />
            {lines.map(({ key, stroke, dash }) => (
              <Line
                key={key}
                dataKey={key}
                stroke={stroke}
                strokeDasharray={dash}
                dot={false}
                isAnimationActive={false}
              />
            ))}
          </LineChart>
          <figcaption className="quiet">{caption}</figcaption>
        </figure>
      ))}
    </div>
  );
}
