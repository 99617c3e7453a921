import type { StereoReport } from '@pannet/core/measurement/report';
import { clock, figure } from '@pannet/core/quantities/wording';
import type { Part } from '@pannet/core/song/song';
import { lazy, Suspense } from 'react';
import { Progress } from '../controls/Progress.tsx';
import { FigureLabel } from '../controls/FigureLabel.tsx';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import {
  useAnalyst,
  useOpenSong,
  useSelectedMeasures,
  useSelection,
  useSession,
} from '../session/open-song.ts';
import { Figures } from './Figures.tsx';
import { Findings } from './Findings.tsx';
import { LiveFigures } from './LiveFigures.tsx';
import { Scope } from './Scope.tsx';
import './fold.scss';

// Charts come with the first song that has figures to draw.
const FoldChart = lazy(() =>
  import('./FoldChart.tsx').then(({ FoldChart: chart }) => ({ default: chart })),
);
const OverTimeChart = lazy(() =>
  import('./OverTimeChart.tsx').then(({ OverTimeChart: chart }) => ({ default: chart })),
);
const SaferSetting = lazy(() =>
  import('./SaferSetting.tsx').then(({ SaferSetting: setting }) => ({ default: setting })),
);

/** What the image does to the fold: always there. */
export function FoldColumn() {
  // What was measured is of what is done; only the lead and the predicted comb follow what is being dragged.
  const song = useSession((state) => state.song);
  const { partId } = useSelection();
  const part = partId === null ? undefined : (song.parts[partId] as Part | undefined);
  const measures = useSelectedMeasures();
  const failure = useAnalyst((state) => state.failure);
  const rate = song.rateHz ?? 48_000;
  if (!part) return <p className="empty p-0">The fold of a part is shown here.</p>;
  const report = measures?.measured.report ?? null;
  const stale = measures?.current === false;
  return (
    <>
      <Verdict report={report} stale={stale} />
      <MeasuringProgress partId={part.id} />
      <Scope />
      <LiveFigures row={song.partOrder.indexOf(part.id)} />
      <Figures measured={measures?.measured ?? null} />
      <h2 className="heading mt-1">
        <FigureLabel figure="loss" className="heading-button" />
      </h2>
      <Suspense fallback={<div style={{ height: 150 }} />}>
        <FoldChart measured={measures?.measured ?? null} />
      </Suspense>
      {report && measures && (
        <>
          <h2 className="heading mt-1">
            <FigureLabel figure="overTime" className="heading-button" />
          </h2>
          <Suspense>
            <OverTimeChart
              overTime={report.overTime}
              from={measures.from / rate}
              to={measures.to / rate}
              rateHz={rate}
            />
          </Suspense>
        </>
      )}
      {failure && (
        <p className="finding" role="alert">
          The measurement failed: {failure}
        </p>
      )}
      {report && measures && (
        <>
          <Findings part={part} measures={measures} />
          <Suspense>
            <SaferSetting part={part} measures={measures} />
          </Suspense>
          <p className="quiet small m-0 border-top pt-1">
            Measured over {clock(measures.from / rate)}–{clock(measures.to / rate)}
            {stale ? '; the image has changed since' : ''}.
          </p>
        </>
      )}
    </>
  );
}

/** Alone, so that what is slow to draw is not drawn again with each step of it. */
function MeasuringProgress({ partId }: { readonly partId: string }) {
  const { analyst } = useOpenSong();
  const share = useAnalyst(({ busy }) => (busy?.partId === partId ? busy.share : null));
  return (
    <div className="measuring">
      {share !== null && (
        <>
          <Progress share={share} label="Measuring" height={3} className="flex-grow-1" />
          <button type="button" title="Stop measuring" onClick={() => analyst.stop()}>
            stop
          </button>
        </>
      )}
    </div>
  );
}

const verdictWords = {
  holds: 'The fold holds',
  watch: 'Watch the fold',
  breaks: 'The fold breaks',
} as const;

function Verdict({
  report,
  stale,
}: {
  readonly report: StereoReport | null;
  readonly stale: boolean;
}) {
  const fold = report?.fold;
  const verdict = fold?.verdict ?? null;
  return (
    <div
      className="verdict"
      data-testid="verdict"
      data-stale={stale}
      style={{ opacity: stale ? 0.55 : 1 }}
    >
      <VerdictMark verdict={verdict} size={20} />
      <span
        className="flex-grow-1"
        style={{ color: verdict === 'breaks' ? 'var(--breaks)' : undefined }}
      >
        {verdict ? verdictWords[verdict] : report ? 'Silent' : 'Measuring …'}
      </span>
      {fold && fold.dropLu !== null && (
        <span
          className="mono fw-normal"
          title="Drop: loudness of the fold against plain's, both matched in stereo"
        >
          {figure(-fold.dropLu, 1)} LU
        </span>
      )}
    </div>
  );
}
