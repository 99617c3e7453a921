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
import { useOpenSong, usePlayback, useRate, useSelection } from '../session/open-song.ts';

/** The figures of a part; the ones that are looked at first stand first, the others open below. */
export const Figures = memo(function Figures({ measured }: { readonly measured: Measured | null }) {
  const [more, setMore] = useState(false);
  const report = measured?.report;
  const of = (key: keyof typeof figureTexts) => (report ? figureTexts[key](report) : '–');
  return (
    <>
      <div className="figure-grid">
        <Cell figure="sideToMid" label="S/M">
          {of('sideToMid')}
        </Cell>
        <Lead />
        <Cell figure="lean" label="Lean">
          {of('lean')}
        </Cell>
        <Cell figure="correlation" label="Correl.">
          {of('correlation')}
        </Cell>
        <Cell figure="dip" label="Dip">
          {unsignedText(report?.fold.deepestDipDb, 1, 'dB')}
        </Cell>
        <Cell figure="loudness" label="Loudness">
          {unsignedText(report?.loudnessLufs, 1)}
        </Cell>
      </div>
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
function Lead() {
  const { playback } = useOpenSong();
  const { partId } = useSelection();
  const rate = useRate();
  // Splices that come change the plan without changing the song.
  usePlayback((state) => state.preparing);
  const plan = playback.plan?.parts.find(({ id }) => id === partId);
  const planned = plan ? planLeadMs(plan, rate) : null;
  const wander = plan && planned !== null ? leadWanderMs(plan, rate) : 0;
  const text =
    wander < 0.05
      ? sidedText(planned, 1, 'ms')
      : `${sidedText(planned, 1)} ±${figure(wander, 0)} ms`;
  return (
    <Cell figure="lead" label="Lead">
      {text}
    </Cell>
  );
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
