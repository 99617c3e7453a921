import type { StereoReport } from '@pannet/core/measurement/report';
import { clock, figure } from '@pannet/core/quantities/wording';
import { partFrames, type Part } from '@pannet/core/song/song';
import { lazy, Suspense } from 'react';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { Progress } from '../controls/Progress.tsx';
import { FigureLabel } from '../controls/FigureLabel.tsx';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import type { Trial } from '../measuring/audition.ts';
import {
  useAnalyst,
  useIsLeft,
  useOpenSong,
  useSelectedMeasures,
  useSelection,
  useSession,
  useTrial,
} from '../session/use-open-song.ts';
import { Figures } from './Figures.tsx';
import { Findings } from './Findings.tsx';
import { SaferSetting } from './SaferSetting.tsx';
import { Scope } from './Scope.tsx';
import './fold.scss';

// Charts come with the first song that has figures to draw.
const FoldChart = lazy(() =>
  import('./FoldChart.tsx').then(({ FoldChart: chart }) => ({ default: chart })),
);
const OverTimeChart = lazy(() =>
  import('./OverTimeChart.tsx').then(({ OverTimeChart: chart }) => ({ default: chart })),
);

/** What the image does to the fold: always there. */
export function FoldColumn() {
  // What was measured is of what is done, or of what is tried; only the lead and the predicted comb follow what is being dragged.
  const song = useSession((state) => state.song);
  const { partId } = useSelection();
  const part = partId === null ? undefined : (song.parts[partId] as Part | undefined);
  const { analyst, blind } = useOpenSong();
  const hidden = useStore(blind.store, (state) => state.blind);
  const trying = useTrial();
  const latest = useSelectedMeasures();
  // Until what is tried is measured there are no figures: those of what is kept are not of what is heard.
  const measures = trying && latest?.current === false ? null : latest;
  const failure = useAnalyst((state) => state.failure);
  const rate = song.rateHz ?? 48_000;
  if (!part) return <p className="empty p-0">The fold of a part is shown here.</p>;
  if (hidden && !hidden.ended && hidden.partId === part.id)
    return (
      <p className="empty p-0" role="status">
        Verdict, charts and figures are hidden until the blind round ends.
      </p>
    );
  const report = measures?.measured.report ?? null;
  const stale = measures?.current === false;
  const whole = measures && measures.from === 0 && measures.to >= partFrames(song, part);
  return (
    <>
      {trying && <TriedBar trial={trying.trial} />}
      <Verdict partId={part.id} report={report} stale={stale} />
      <MeasuringProgress partId={part.id} />
      <Scope />
      <Figures
        measured={measures?.measured ?? null}
        kept={trying?.kept?.measured ?? null}
        tried={trying !== null}
        over={measures && !whole ? 'loop' : 'whole'}
        row={song.partOrder.indexOf(part.id)}
      />
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
          The measurement failed: {failure}{' '}
          <Button size="sm" variant="outline-primary" onClick={() => analyst.again()}>
            Try again
          </Button>
        </p>
      )}
      {report && measures && (
        <>
          <Findings part={part} measures={measures} />
          <SaferSetting part={part} measures={measures} />
          <p className="quiet small m-0 border-top pt-1">
            Measured over {clock(measures.from / rate)}–{clock(measures.to / rate)}
            {trying ? ', with what is tried' : ''}
            {stale ? '; the image has changed since' : ''}.
          </p>
        </>
      )}
    </>
  );
}

/** What is tried: all of the column is of it until it is kept or dropped. */
function TriedBar({ trial }: { readonly trial: Trial }) {
  const open = useOpenSong();
  return (
    <div className="tried-bar" role="status" data-testid="tried">
      <span className="flex-grow-1" title={trial.name}>
        <b>Tried:</b> {trial.name.replace(/^[^:]*: /, '')}
      </span>
      <Button
        size="sm"
        aria-label="Keep what is tried"
        onClick={() => open.do(trial.name, trial.edits)}
      >
        Keep
      </Button>
      <Button
        size="sm"
        variant="outline-primary"
        aria-label="Drop what is tried"
        onClick={() => open.audition.drop()}
      >
        Drop
      </Button>
    </div>
  );
}

/** Alone, so that what is slow to draw is not drawn again with each step of it. */
function MeasuringProgress({ partId }: { readonly partId: string }) {
  const { analyst } = useOpenSong();
  const share = useAnalyst(({ busy }) => (busy?.partId === partId ? busy.share : null));
  // A failure says more, and has the same button.
  const failed = useAnalyst(({ failure }) => failure !== null);
  const stopped = useIsLeft(partId) && !failed;
  return (
    <div className="measuring">
      {stopped && (
        <>
          <span className="quiet small">Measuring was stopped.</span>
          <button type="button" onClick={() => analyst.again()}>
            measure
          </button>
        </>
      )}
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
  partId,
  report,
  stale,
}: {
  readonly partId: string;
  readonly report: StereoReport | null;
  readonly stale: boolean;
}) {
  const fold = report?.fold;
  const verdict = fold?.verdict ?? null;
  const unmeasured = useIsLeft(partId) ? 'Not measured' : 'Measuring …';
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
        {verdict ? verdictWords[verdict] : report ? 'Silent' : unmeasured}
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
