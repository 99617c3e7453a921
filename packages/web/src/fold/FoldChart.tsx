import { predictedLoss, predictedRange } from '@pannet/core/rendering/fold-paths';
import type { PartPlan } from '@pannet/core/rendering/plan';
import { figure } from '@pannet/core/quantities/wording';
import { memo, useDeferredValue, useMemo } from 'react';
import { Area, CartesianGrid, ComposedChart, Line, ReferenceLine, XAxis, YAxis } from 'recharts';
import type { Measured } from '../measuring/messages.ts';
import { useOpenSong, useSelectedPart, useSong } from '../song/open-song.ts';

const width = 280;
const height = 144;
const lowestDb = -15;
/** Notches that lie closer than a twelfth of an octave are no longer drawn one by one. */
const finest = 2 ** (1 / 12) - 1;

interface Point {
  readonly hz: number;
  readonly loss?: number;
  readonly colour?: number;
  readonly comb?: number;
  /** Between what the loss moves while voices wander. */
  readonly wander?: readonly [number, number];
}

/** What is lost hangs down, by third octave; over it the fine colour of the fold, and the comb that the delays predict. */
export const FoldChart = memo(function FoldChart({
  measured,
}: {
  readonly measured: Measured | null;
}) {
  const { playback } = useOpenSong();
  const song = useSong();
  const part = useSelectedPart();
  // A drag goes on; its curve follows as fast as it can be drawn.
  const plan = useDeferredValue(
    playback.plan?.parts.find((candidate) => candidate.id === part?.id) ?? null,
  );
  const rate = song.rateHz ?? 48_000;
  const points = useMemo(() => merge(measured, plan, rate), [measured, plan, rate]);
  const worst = measured?.report.fold.bands.reduce<{ hz: number; lossDb: number | null } | null>(
    (deepest, band) =>
      band.lossDb !== null && band.lossDb < (deepest?.lossDb ?? 0) ? band : deepest,
    null,
  );
  return (
    <figure className="m-0">
      <ComposedChart
        width={width}
        height={height}
        data={points}
        margin={{ top: 6, right: 6, bottom: 0, left: -26 }}
      >
        <CartesianGrid stroke="var(--rule)" strokeDasharray="2 3" vertical={false} />
        <XAxis
          dataKey="hz"
          type="number"
          scale="log"
          domain={[22, 20_000]}
          ticks={[50, 100, 200, 500, 1000, 2000, 5000, 10_000]}
          tickFormatter={(hz: number) => (hz >= 1000 ? `${hz / 1000}k` : String(hz))}
          tick={{ fontSize: 12, fill: 'var(--quiet)' }}
          stroke="var(--edge)"
          allowDataOverflow
          orientation="bottom"
        />
        <YAxis
          type="number"
          domain={[lowestDb, 3]}
          ticks={[0, -3, -6, -12]}
          tickFormatter={(value: number) => figure(value, 0)}
          tick={{ fontSize: 12, fill: 'var(--quiet)' }}
          stroke="var(--edge)"
          allowDataOverflow
        />
        <ReferenceLine y={0} stroke="var(--ink)" />
        <ReferenceLine y={-3} stroke="var(--edge)" strokeDasharray="4 3" />
        <Area
          dataKey="loss"
          type="step"
          baseValue={0}
          connectNulls
          stroke="var(--edge)"
          strokeWidth={1}
          fill="var(--rule)"
          fillOpacity={1}
          isAnimationActive={false}
        />
        <Area
          dataKey="wander"
          connectNulls
          stroke="none"
          fill="var(--breaks)"
          fillOpacity={0.13}
          isAnimationActive={false}
        />
        <Line
          dataKey="comb"
          stroke="var(--breaks)"
          strokeWidth={1}
          dot={false}
          connectNulls
          isAnimationActive={false}
        />
        <Line
          dataKey="colour"
          stroke="var(--ink)"
          strokeWidth={1.5}
          dot={false}
          connectNulls
          isAnimationActive={false}
        />
      </ComposedChart>
      <figcaption className="quiet" style={{ fontSize: 12 }}>
        ▇ loss · <span style={{ color: 'var(--ink)' }}>▬</span> colour ·{' '}
        <span style={{ color: 'var(--breaks)' }}>▬</span> predicted
        {worst && worst.lossDb !== null && (
          <>
            {' '}
            · {figure(worst.lossDb, 1)} dB at {worst.hz} Hz
          </>
        )}
      </figcaption>
    </figure>
  );
});

function merge(measured: Measured | null, plan: PartPlan | null, rate: number): Point[] {
  const points: Point[] = [];
  for (const band of measured?.report.fold.bands ?? [])
    if (band.lossDb !== null) points.push({ hz: band.hz, loss: Math.max(lowestDb, band.lossDb) });
  for (const point of measured?.colour ?? [])
    points.push({ hz: point.hz, colour: Math.max(lowestDb, Math.min(3, point.db)) });
  if (plan) points.push(...predicted(plan, rate));
  return points.sort((a, b) => a.hz - b.hz);
}

function predicted(plan: PartPlan, rate: number): Point[] {
  const delays = plan.strands
    .filter((strand) => strand.tuning === null && strand.drift === null)
    .map((strand) => strand.delayFrames / rate);
  const longest = Math.max(0, ...delays) - Math.min(0, ...delays);
  const top = longest > 0 ? Math.min(16_000, 1 / (longest * finest)) : 16_000;
  const lossAt = predictedLoss(plan, rate);
  const rangeAt = predictedRange(plan, rate);
  const held = (db: number) => Math.max(lowestDb, db);
  const points: Point[] = [];
  for (let hz = 25; hz <= top; hz *= 1.02) points.push({ hz, comb: held(lossAt(hz)) });
  // What wanders is drawn as a band, in wider steps: it has no fine lines.
  for (let hz = 25; rangeAt && hz <= 16_000; hz *= 1.12) {
    const { lowestDb: low, highestDb: high } = rangeAt(hz);
    points.push({ hz, wander: [held(low), held(high)] });
  }
  return points;
}
