import type { XAxisProps } from 'recharts';

/** Frequencies along a chart, by octaves. */
export const hzAxis: XAxisProps = {
  dataKey: 'hz',
  type: 'number',
  scale: 'log',
  domain: [22, 20_000],
  ticks: [50, 100, 200, 500, 1000, 2000, 5000, 10_000],
  tickFormatter: (hz: number) => (hz >= 1000 ? `${hz / 1000}k` : String(hz)),
  tick: { fontSize: 12, fill: 'var(--quiet)' },
  stroke: 'var(--edge)',
  allowDataOverflow: true,
};
