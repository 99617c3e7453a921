import type { Figure } from '@pannet/core/measurement/definitions';
import type { StereoReport } from '@pannet/core/measurement/report';
import { clock, figure, signedFigure } from '@pannet/core/quantities/wording';
import { leadWanderMs, planLeadMs } from '@pannet/core/rendering/fold-paths';
import type { Beating } from '@pannet/core/rendering/beating';
import { useDeferredValue, useMemo, useState } from 'react';
import { Progress } from '../controls/Progress.tsx';
import { FigureLabel } from '../controls/FigureLabel.tsx';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import {
  useAnalyst,
  useOpenSong,
  useSelectedMeasures,
  useSelectedPart,
  useSong,
} from '../song/open-song.ts';
import type { Measured } from '../measuring/messages.ts';
import { Findings } from './Findings.tsx';
import { FoldChart } from './FoldChart.tsx';
import { LiveFigures } from './LiveFigures.tsx';
import { OverTimeChart } from './OverTimeChart.tsx';
import { SaferSetting } from './SaferSetting.tsx';
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
      <FoldChart measured={measures?.measured ?? null} />
      {report && measures && (
        <>
          <h2 className="heading mt-1">
            <FigureLabel figure="overTime" className="heading-button" />
          </h2>
          <OverTimeChart
            overTime={report.overTime}
            from={measures.from / rate}
            to={measures.to / rate}
            rateHz={rate}
          />
        </>
      )}
      {failure && (
        <p className="finding" role="alert">
          The measurement failed: {failure}
        </p>
      )}
      {report && measures && (
        <>
          <Findings partId={part.id} measures={measures} />
          <SaferSetting part={part} measures={measures} />
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

/** The figures of a part; the ones that are looked at first stand first, the others open below. */
function Figures({ measured }: { readonly measured: Measured | null }) {
  const { playback } = useOpenSong();
  const part = useSelectedPart();
  const rate = useSong().rateHz ?? 48_000;
  const [more, setMore] = useState(false);
  // While something is dragged the figures may come a little later than the voices.
  const plan = useDeferredValue(
    playback.plan?.parts.find((candidate) => candidate.id === part?.id),
  );
  const planned = plan ? planLeadMs(plan, rate) : null;
  const wander = useMemo(() => (plan ? leadWanderMs(plan, rate) : 0), [plan, rate]);
  const report = measured?.report;
  const first: Cell[] = [
    ['sideToMid', 'S/M', sideToMidText(report)],
    ['lead', 'Lead', leadText(planned, wander)],
    ['lean', 'Lean', sided(report?.leanDb ?? null, 1, 'dB')],
    ['correlation', 'Correl.', signed(report?.correlation, 2)],
    ['dip', 'Dip', unsigned(report?.fold.deepestDipDb, 1, 'dB')],
    ['loudness', 'Loudness', unsigned(report?.loudnessLufs, 1, '')],
  ];
  return (
    <>
      <Grid cells={first} />
      {more && measured && <Grid cells={furtherCells(measured)} wide />}
      <button
        type="button"
        className="more-figures"
        aria-expanded={more}
        onClick={() => setMore(!more)}
      >
        {more ? 'fewer figures ▴' : 'more figures ▾'}
      </button>
    </>
  );
}

type Cell = readonly [figure: Figure, label: string, value: string];

function Grid({
  cells,
  wide = false,
}: {
  readonly cells: readonly Cell[];
  readonly wide?: boolean;
}) {
  return (
    <div className={`figure-grid${wide ? ' wide' : ''}`}>
      {cells.map(([key, label, value]) => (
        <div key={label}>
          <FigureLabel figure={key} label={label} />
          <div className="value" data-testid={`figure-${label}`}>
            {value}
          </div>
        </div>
      ))}
    </div>
  );
}

function furtherCells({ report, plain, beating }: Measured): Cell[] {
  const { likeness, comb, dynamics, sideToMidBands: bands, low } = report;
  const both = (left: number | undefined, right: number | undefined) =>
    `L ${unsigned(left, 1, '')} · R ${unsigned(right, 1, '')}`;
  const beats = ({ rateHz, rippleDb }: Beating) =>
    rateHz === 0 ? '0' : `${figure(rateHz, 1)} (${figure(rippleDb, 0)} dB)`;
  const lowChange = (db: number, lufs: number | null) =>
    lufs === null || plain.lufs === null || plain.lowDb <= -199
      ? '–'
      : signedFigure(db - lufs - (plain.lowDb - plain.lufs), 1);
  const foldLufs =
    report.loudnessLufs === null || report.fold.lossDb === null
      ? null
      : report.loudnessLufs + report.fold.lossDb;
  return [
    [
      'likeness',
      'Likeness',
      likeness
        ? `${signedFigure(likeness.value, 2)} at ${signedFigure(likeness.lagMs, 1)} ms`
        : '–',
    ],
    [
      'comb',
      'Comb in the sound',
      comb
        ? `${comb.notchesHz
            .slice(0, 3)
            .map((hz) => figure(hz, 0))
            .join(', ')} Hz`
        : 'none',
    ],
    ['correlation', 'Least correlation', leastCorrelation(report)],
    [
      'bands',
      'S/M low · mid · high',
      [bands.lowDb, bands.midDb, bands.highDb].map((db) => signed(db, 0)).join(' · '),
    ],
    [
      'low',
      'Low end, stereo · fold',
      `${lowChange(low.stereoDb, report.loudnessLufs)} · ${lowChange(low.foldDb, foldLufs)} dB`,
    ],
    ['crest', 'Crest', both(dynamics.left?.crestDb, dynamics.right?.crestDb)],
    ['spread', 'Fall', both(dynamics.left?.spreadDb, dynamics.right?.spreadDb)],
    ['beats', 'Beats L · R', `${beats(beating.left)} · ${beats(beating.right)}`],
    ['range', 'Loudness range', `${figure(report.loudnessRangeLu, 1)} LU`],
    ['truePeak', 'True peak', unsigned(report.truePeakDbtp, 1, 'dBTP')],
  ];
}

/** What wanders is told as a range. */
function leadText(planned: number | null, wander: number): string {
  if (planned === null || wander < 0.05) return sided(planned, 1, 'ms');
  const lead = sided(planned, 1, '').trim();
  return `${lead} ±${figure(wander, 0)} ms`;
}

/** The third octave in which the sides agree least. */
function leastCorrelation({ bandSides }: StereoReport): string {
  const heard = bandSides.filter(({ correlation }) => correlation !== null);
  if (heard.length === 0) return '–';
  const least = heard.reduce((low, band) =>
    (band.correlation ?? 1) < (low.correlation ?? 1) ? band : low,
  );
  return `${signedFigure(least.correlation ?? 0, 2)} at ${least.hz} Hz`;
}

function sideToMidText(report: StereoReport | undefined): string {
  if (report?.sideToMidDb === undefined || report.sideToMidDb === null) return '–';
  return report.stillMono ? 'mono' : `${signedFigure(report.sideToMidDb, 1)} dB`;
}

function signed(value: number | null | undefined, places: number): string {
  return value === null || value === undefined ? '–' : signedFigure(value, places);
}

function unsigned(value: number | null | undefined, places: number, unit: string): string {
  if (value === null || value === undefined) return '–';
  return unit ? `${figure(value, places)} ${unit}` : figure(value, places);
}

function sided(value: number | null, places: number, unit: string): string {
  if (value === null) return '–';
  const size = figure(Math.abs(value), places);
  if (Number(size) === 0) return `0 ${unit}`;
  return `${value > 0 ? 'L' : 'R'} ${size} ${unit}`;
}
