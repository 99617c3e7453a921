import { findingsOfPart } from '@pannet/core/findings/source-findings';
import type { StereoReport } from '@pannet/core/measurement/report';
import { clock, figure, signedFigure } from '@pannet/core/quantities/wording';
import { planLeadMs } from '@pannet/core/rendering/fold-paths';
import ProgressBar from 'react-bootstrap/ProgressBar';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import {
  useAnalyst,
  useOpenSong,
  useSelectedMeasures,
  useSelectedPart,
  useSong,
} from '../song/open-song.ts';
import { FoldChart } from './FoldChart.tsx';
import { Scope } from './Scope.tsx';

/** What the image does to the fold: always there. */
export function FoldColumn() {
  const part = useSelectedPart();
  const measures = useSelectedMeasures();
  const failure = useAnalyst((state) => state.failure);
  const song = useSong();
  const rate = song.rateHz ?? 48_000;
  if (!part) return <p className="empty p-0">The fold of a part is shown here.</p>;
  const report = measures?.measured.report ?? null;
  return (
    <>
      <Verdict report={report} stale={measures?.current === false} />
      <Progress partId={part.id} />
      <Scope />
      <Figures report={report} />
      <h2 className="heading mt-2">Fold loss by third octave</h2>
      <FoldChart measured={measures?.measured ?? null} />
      {failure && (
        <p className="finding" role="alert">
          The measurement failed: {failure}
        </p>
      )}
      {report && (
        <section aria-label="Findings">
          {findingsOfPart(report, song, part).map((finding) => (
            <p key={finding.code} className="finding m-0">
              {finding.sentence}
            </p>
          ))}
          <p className="quiet small m-0 border-top pt-1">
            Measured over {clock((measures?.from ?? 0) / rate)}–{clock((measures?.to ?? 0) / rate)}
            {measures?.current === false ? '; the image has changed since' : ''}.
          </p>
        </section>
      )}
    </>
  );
}

/** Alone, so that what is slow to draw is not drawn again with each step of it. */
function Progress({ partId }: { readonly partId: string }) {
  const share = useAnalyst(({ busy }) => (busy?.partId === partId ? busy.share : null));
  return (
    <div style={{ height: 6 }}>
      {share !== null && (
        <ProgressBar now={share * 100} aria-label="Measuring" style={{ height: 3 }} />
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

function Figures({ report }: { readonly report: StereoReport | null }) {
  const { playback } = useOpenSong();
  const part = useSelectedPart();
  const rate = useSong().rateHz ?? 48_000;
  const plan = playback.plan?.parts.find((candidate) => candidate.id === part?.id);
  const planned = plan ? planLeadMs(plan, rate) : null;
  const tuned = part?.image.voices.some((voice) => voice.tuner.cents !== 0 && !voice.muted);
  const width =
    report?.sideToMidDb === undefined || report.sideToMidDb === null
      ? '–'
      : report.stillMono
        ? 'mono'
        : `${signedFigure(report.sideToMidDb, 1)} dB`;
  const rows: [string, string, string][] = [
    ['S/M', width, 'Energy of the difference against the middle: how wide it is'],
    [
      'Lead',
      sided(planned, 1, 'ms', tuned ? 'about ' : ''),
      'Which side speaks first, from the voices; tuned voices wander',
    ],
    ['Lean', sided(report?.leanDb ?? null, 1, 'dB'), 'Which side is heavier'],
    [
      'Correl.',
      report?.correlation == null ? '–' : signedFigure(report.correlation, 2),
      'Correlation of the sides at lag 0',
    ],
    [
      'Dip',
      report?.fold.deepestDipDb == null ? '–' : `${figure(report.fold.deepestDipDb, 1)} dB`,
      `Deepest dip of the fold in sixth octaves${report?.fold.deepestDipHz ? `, at ${report.fold.deepestDipHz} Hz` : ''}`,
    ],
    [
      'Loudness',
      report?.loudnessLufs == null ? '–' : figure(report.loudnessLufs, 1),
      'LUFS, integrated, of the image',
    ],
  ];
  return (
    <div className="figure-grid">
      {rows.map(([label, value, title]) => (
        <div key={label} title={title}>
          <div className="label">{label}</div>
          <div className="value" data-testid={`figure-${label}`}>
            {value}
          </div>
        </div>
      ))}
    </div>
  );
}

function sided(value: number | null, places: number, unit: string, about = ''): string {
  if (value === null) return '–';
  const size = figure(Math.abs(value), places);
  if (Number(size) === 0) return `0 ${unit}`;
  return `${about ? '~' : ''}${value > 0 ? 'L' : 'R'} ${size} ${unit}`;
}
