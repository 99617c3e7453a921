import { worstBand } from '@pannet/core/measurement/fold';
import { movesItsFold } from '@pannet/core/song/moves-of';
import { predictedLoss, predictedRange, staysPut } from '@pannet/core/rendering/fold-paths';
import type { PartPlan } from '@pannet/core/rendering/plan';
import { figure } from '@pannet/core/quantities/wording';
import { memo, useDeferredValue, useMemo } from 'react';
import {
  Area,
  CartesianGrid,
  ComposedChart,
  Line,
  ReferenceLine,
  XAxis,
  YAxis,
  type YAxisProps,
} from 'recharts';
import { useImpulses } from './use-impulses.ts';
import { hzAxis } from '../controls/hz-axis.ts';
import type { Measured } from '../measuring/messages.ts';
import { useOpenSong, useRate, useSelection, useSession } from '../session/use-open-song.ts';

const width = 280;
const height = 144;
const margin = { top: 6, right: 6, bottom: 0, left: -26 };
const lowestDb = -15;
/** Notches that lie closer than a twelfth of an octave are no longer drawn one by one. */
const finest = 2 ** (1 / 12) - 1;

const dbAxis: YAxisProps = {
  type: 'number',
  domain: [lowestDb, 3],
  ticks: [0, -3, -6, -12],
  tickFormatter: (value: number) => figure(value, 0),
  tick: { fontSize: 12, fill: 'var(--quiet)' },
  stroke: 'var(--edge)',
  allowDataOverflow: true,
};
/** Takes the room of an axis that is drawn already. */
const unseen = { tick: false, axisLine: false, tickLine: false } as const;

const held = (db: number) => Math.max(lowestDb, Math.min(3, db));

/** What is lost hangs down, by third octave; over it the fine colour of the fold, and the comb that the delays predict. */
export function FoldChart({ measured }: { readonly measured: Measured | null }) {
  const worst = measured && worstBand(measured.report.fold.bands);
  const moves = useFoldMoves();
  return (
    <figure className="m-0">
      <div className="fold-chart">
        <MeasuredChart measured={measured} />
        {!moves && <Prediction />}
      </div>
      <figcaption className="quiet" style={{ fontSize: 12 }}>
        ▇ loss
        {worst && worst.lossDb < -0.05 && (
          <>
            , {figure(worst.lossDb, 1)} dB at {worst.hz} Hz
          </>
        )}{' '}
        · <span style={{ color: 'var(--ink)' }}>▬</span> colour ·{' '}
        {moves ? (
          'it moves: nothing predicted'
        ) : (
          <>
            <span style={{ color: 'var(--breaks)' }}>▬</span> predicted
          </>
        )}
      </figcaption>
    </figure>
  );
}

/** Whether voices, flanks or width of the selected part move along the song. */
function useFoldMoves(): boolean {
  const { partId } = useSelection();
  return useSession(({ shown }) => partId !== null && movesItsFold(shown, partId));
}

/** Apart from what is predicted, since it stays while something is dragged. */
const MeasuredChart = memo(function MeasuredChart({
  measured,
}: {
  readonly measured: Measured | null;
}) {
  const points = [
    ...(measured?.report.fold.bands ?? []).flatMap(({ hz, lossDb }) =>
      lossDb === null ? [] : [{ hz, loss: held(lossDb) }],
    ),
    ...(measured?.colour ?? []).map(({ hz, db }) => ({ hz, colour: held(db) })),
  ].sort((a, b) => a.hz - b.hz);
  return (
    <ComposedChart width={width} height={height} data={points} margin={margin}>
      <CartesianGrid stroke="var(--rule)" strokeDasharray="2 3" vertical={false} />
      <XAxis {...hzAxis} />
      <YAxis {...dbAxis} />
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
      <Line
        dataKey="colour"
        stroke="var(--ink)"
        strokeWidth={1.5}
        dot={false}
        connectNulls
        isAnimationActive={false}
      />
    </ComposedChart>
  );
});

/** What the plan of the selected part foretells; it follows a drag as fast as it can be drawn. */
function Prediction() {
  const { playback } = useOpenSong();
  const rate = useRate();
  const { partId } = useSelection();
  const plan = useDeferredValue(playback.plan?.parts.find(({ id }) => id === partId) ?? null);
  return <PredictedChart plan={plan} rate={rate} />;
}

interface Predicted {
  readonly hz: number;
  readonly comb?: number;
  /** Between what the loss moves while voices wander. */
  readonly wander?: readonly [number, number];
}

const PredictedChart = memo(function PredictedChart({
  plan,
  rate,
}: {
  readonly plan: PartPlan | null;
  readonly rate: number;
}) {
  const read = useImpulses(plan);
  // What was read since is foretold anew.
  // eslint-disable-next-line react-hooks/exhaustive-deps
  const points = useMemo(() => (plan ? predicted(plan, rate) : []), [plan, rate, read]);
  const wanders = points.some(({ wander }) => wander);
  return (
    <div className="prediction">
      <ComposedChart width={width} height={height} data={points} margin={margin}>
        <XAxis {...hzAxis} {...unseen} />
        <YAxis {...dbAxis} {...unseen} />
        {wanders && (
          <Area
            dataKey="wander"
            connectNulls
            stroke="none"
            fill="var(--breaks)"
            fillOpacity={0.13}
            isAnimationActive={false}
          />
        )}
        <Line
          dataKey="comb"
          stroke="var(--breaks)"
          strokeWidth={1}
          dot={false}
          connectNulls
          isAnimationActive={false}
        />
      </ComposedChart>
    </div>
  );
});

function predicted(plan: PartPlan, rate: number): Predicted[] {
  const delays = plan.strands.filter(staysPut).map((strand) => strand.delayFrames / rate);
  const longest = Math.max(0, ...delays) - Math.min(0, ...delays);
  const top = longest > 0 ? Math.min(16_000, 1 / (longest * finest)) : 16_000;
  const lossAt = predictedLoss(plan, rate);
  const rangeAt = predictedRange(plan, rate);
  const points: Predicted[] = [];
  for (let hz = 25; hz <= top; hz *= 1.02) points.push({ hz, comb: held(lossAt(hz)) });
  // What wanders is drawn as a band, in wider steps: it has no fine lines.
  for (let hz = 25; rangeAt && hz <= 16_000; hz *= 1.12) {
    const { lowestDb: low, highestDb: high } = rangeAt(hz);
    points.push({ hz, wander: [held(low), held(high)] });
  }
  return points.sort((a, b) => a.hz - b.hz);
}
