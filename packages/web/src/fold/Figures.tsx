import { imageLevel } from '@pannet/core/findings/part-figures';
import type { Figure } from '@pannet/core/measurement/definitions';
import { figure } from '@pannet/core/quantities/wording';
import type { Beating } from '@pannet/core/rendering/beating';
import { leadWanderMs, planLeadMs } from '@pannet/core/rendering/fold-paths';
import { memo, useState, type ReactNode } from 'react';
import { FigureLabel } from '../controls/FigureLabel.tsx';
import {
  figureTexts,
  leastCorrelationText,
  sidedText,
  signedText,
  unsignedText,
} from '../measuring/figure-texts.ts';
import type { Measured } from '../measuring/messages.ts';
import {
  useOpenSong,
  usePlayback,
  useRate,
  useSelection,
  useSession,
} from '../session/use-open-song.ts';
import { useLiveCells } from './LiveFigures.tsx';

interface Props {
  readonly measured: Measured | null;
  /** While something is tried: what was measured of what is kept. */
  readonly kept: Measured | null;
  /** Whether what is measured is what is tried. */
  readonly tried: boolean;
  /** Over which stretch it was measured: “whole” or “loop”. */
  readonly over: string;
  /** Of the part among all. */
  readonly row: number;
}

/** The figures of a part, those of this moment beside those of all of it; the ones that are looked at first stand first. */
export const Figures = memo(function Figures({ measured, kept, tried, over, row }: Props) {
  const [more, setMore] = useState(false);
  const live = useLiveCells(row);
  const of = (figures: Measured | null, key: keyof typeof figureTexts) =>
    figures ? figureTexts[key](figures.report) : '–';
  const line = (key: keyof typeof figureTexts, label: string, liveRow?: number) => (
    <Line
      figure={key}
      label={label}
      now={liveRow === undefined ? null : live(liveRow)}
      whole={of(measured, key)}
      kept={tried ? of(kept, key) : null}
    />
  );
  const loss = (figures: Measured | null) => signedText(figures?.report.fold.lossDb, 1, 'LU');
  return (
    <>
      <table className="figure-table">
        <thead>
          <tr>
            <th aria-label="Figure" />
            <th title="At this moment, while it plays">now</th>
            <th title="As measured, over what is said below">{tried ? `${over}, tried` : over}</th>
            {tried && <th title="As it is kept, without what is tried">kept</th>}
          </tr>
        </thead>
        <tbody>
          {line('sideToMid', 'S/M', 0)}
          {line('correlation', 'Correl.', 1)}
          <Line
            figure="drop"
            label="Fold"
            now={live(2)}
            whole={loss(measured)}
            kept={tried ? loss(kept) : null}
          />
          {line('lean', 'Lean', 3)}
          <Lead kept={tried} />
          <Line
            figure="dip"
            label="Dip"
            now={null}
            whole={unsignedText(measured?.report.fold.deepestDipDb, 1, 'dB')}
            kept={tried ? unsignedText(kept?.report.fold.deepestDipDb, 1, 'dB') : null}
          />
          {line('loudness', 'Loudness')}
        </tbody>
      </table>
      {more && measured && <FurtherFigures measured={measured} />}
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
});

interface LineProps {
  readonly figure: Figure;
  readonly label: string;
  /** Takes the cell of this moment; null where there is none. */
  readonly now: ((cell: HTMLElement | null) => void) | null;
  readonly whole: string;
  /** null where nothing is tried. */
  readonly kept: string | null;
}

function Line({ figure: key, label, now, whole, kept }: LineProps) {
  return (
    <tr>
      <th scope="row">
        <FigureLabel figure={key} label={label} />
      </th>
      <td className="quiet" aria-hidden ref={now ?? undefined}>
        {now && '–'}
      </td>
      <td data-testid={`figure-${label}`}>{whole}</td>
      {kept !== null && <td className="quiet">{kept}</td>}
    </tr>
  );
}

interface CellProps {
  readonly figure: Figure;
  readonly label: string;
  readonly children: ReactNode;
}

function Cell({ figure: key, label, children }: CellProps) {
  return (
    <div>
      <FigureLabel figure={key} label={label} />
      <div className="value" data-testid={`figure-${label}`}>
        {children}
      </div>
    </div>
  );
}

/** From the voices, so alone: it follows a drag, and what was measured does not. What wanders is told as a range. */
function Lead({ kept }: { readonly kept: boolean }) {
  const { playback } = useOpenSong();
  const { partId } = useSelection();
  const rate = useRate();
  // Splices that come change the plan without changing the song.
  usePlayback((state) => state.preparing);
  // As the song is seen, so that what is tried or dragged counts.
  useSession((state) => state.shown);
  const plan = playback.plan?.parts.find(({ id }) => id === partId);
  const planned = plan ? planLeadMs(plan, rate) : null;
  const wander = plan && planned !== null ? leadWanderMs(plan, rate) : 0;
  const text =
    wander < 0.05
      ? sidedText(planned, 1, 'ms')
      : `${sidedText(planned, 1)} ±${figure(wander, 0)} ms`;
  return <Line figure="lead" label="Lead" now={null} whole={text} kept={kept ? '' : null} />;
}

function FurtherFigures({ measured }: { readonly measured: Measured }) {
  const { report, beating } = measured;
  const { low } = report;
  const image = imageLevel(measured);
  const cells: readonly (readonly [figure: Figure, label: string, text: string])[] = [
    ['likeness', 'Likeness', figureTexts.likeness(report)],
    ['comb', 'Comb in the sound', figureTexts.comb(report)],
    ['correlation', 'Least correlation', leastCorrelationText(report)],
    ['bands', 'S/M low · mid · high', figureTexts.bands(report)],
    [
      'low',
      'Low end, stereo · fold',
      `${lowChange(measured, low.stereoDb, image.lufs)} · ${lowChange(measured, low.foldDb, image.foldLufs)} dB`,
    ],
    ['crest', 'Crest', figureTexts.crest(report)],
    ['spread', 'Fall', figureTexts.spread(report)],
    ['beats', 'Beats L · R', `${beatsText(beating.left)} · ${beatsText(beating.right)}`],
    ['range', 'Loudness range', figureTexts.range(report)],
    ['truePeak', 'True peak', figureTexts.truePeak(report)],
  ];
  return (
    <div className="figure-grid wide">
      {cells.map(([key, label, text]) => (
        <Cell key={label} figure={key} label={label}>
          {text}
        </Cell>
      ))}
    </div>
  );
}

/** The low end against plain's, both at their own loudness. */
function lowChange({ plain }: Measured, lowDb: number, lufs: number | null): string {
  const silent = lufs === null || plain.lufs === null || plain.lowDb <= -199;
  return silent ? '–' : signedText(lowDb - lufs - (plain.lowDb - plain.lufs), 1);
}

function beatsText({ rateHz, rippleDb }: Beating): string {
  return rateHz === 0 ? '0' : `${figure(rateHz, 1)} (${figure(rippleDb, 0)} dB)`;
}
