import type { LossOverTime } from '@pannet/core/measurement/over-time';
import { clock, figure } from '@pannet/core/quantities/wording';
import { memo, useEffect, useRef } from 'react';
import { Area, AreaChart, ReferenceArea, ReferenceLine, XAxis, YAxis } from 'recharts';
import { useOpenSong } from '../session/use-open-song.ts';

const width = 280;
const height = 64;
const axisWidth = 26;
const right = 6;
const lowestLu = -12;

interface Props {
  readonly overTime: LossOverTime;
  /** Where in the song the stretch begins and ends, in seconds. */
  readonly from: number;
  readonly to: number;
  readonly rateHz: number;
}

/** What the fold loses along the song; the worst moment is marked, and played when it is pressed. */
export const OverTimeChart = memo(function OverTimeChart({ overTime, from, to, rateHz }: Props) {
  const { playback } = useOpenSong();
  const head = useRef<HTMLDivElement>(null);
  // Where nothing is lost there is no worst moment to point at.
  const worst = overTime.worst && overTime.worst.lossLu < -0.5 ? overTime.worst : null;
  const points = overTime.moments.map(({ seconds, lossLu }) => ({
    seconds: from + seconds,
    loss: lossLu === null ? null : Math.max(lowestLu, Math.min(1, lossLu)),
  }));
  useEffect(
    () =>
      playback.onSeen(({ frame, state }) => {
        if (!head.current) return;
        const share = (frame / rateHz - from) / Math.max(1e-9, to - from);
        const shown = state !== 'stopped' && share >= 0 && share <= 1;
        // Moved as a layer of its own: the chart beneath is not painted again.
        head.current.style.opacity = shown ? '1' : '0';
        if (shown)
          head.current.style.transform = `translateX(${axisWidth + share * (width - axisWidth - right)}px)`;
      }),
    [playback, from, to, rateHz],
  );
  const hear = (seconds: number) => {
    playback.seek(Math.round(Math.max(0, seconds) * rateHz));
    if (playback.store.getState().state === 'stopped') void playback.play();
  };
  return (
    <figure className="m-0">
      <div className="position-relative">
        <AreaChart
          width={width}
          height={height}
          data={points}
          margin={{ top: 2, right, bottom: 6, left: 0 }}
          onClick={({ activeLabel }) => activeLabel !== undefined && hear(Number(activeLabel))}
        >
          <XAxis dataKey="seconds" type="number" domain={[from, to]} hide />
          <YAxis
            width={axisWidth}
            type="number"
            domain={[lowestLu, 1]}
            ticks={[0, -6, -12]}
            interval={0}
            tickFormatter={(value: number) => figure(value, 0)}
            tick={{ fontSize: 12, fill: 'var(--quiet)' }}
            stroke="var(--edge)"
            allowDataOverflow
          />
          <ReferenceLine y={0} stroke="var(--ink)" />
          <ReferenceLine y={-6} stroke="var(--edge)" strokeDasharray="4 3" />
          {worst && (
            <ReferenceArea
              x1={from + worst.fromSeconds}
              x2={from + worst.toSeconds}
              fill="var(--breaks)"
              fillOpacity={0.18}
            />
          )}
          <Area
            dataKey="loss"
            baseValue={0}
            connectNulls={false}
            stroke="var(--ink)"
            strokeWidth={1.2}
            fill="var(--rule)"
            fillOpacity={1}
            isAnimationActive={false}
          />
        </AreaChart>
        <div ref={head} className="time-head" style={{ opacity: 0 }} />
      </div>
      {worst && (
        <button
          type="button"
          className="worst-moment"
          title="Go there and play"
          onClick={() => hear(from + worst.fromSeconds)}
        >
          worst 3 s: <span className="mono">{figure(worst.lossLu, 1)} LU</span> from{' '}
          <span className="mono">{clock(from + worst.fromSeconds, 1)}</span> ▸
        </button>
      )}
    </figure>
  );
});
