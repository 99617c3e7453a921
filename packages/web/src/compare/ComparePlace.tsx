import { figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Part } from '@pannet/core/song/song';
import { useState } from 'react';
import { useStore } from 'zustand';
import { FigureLabel } from '../controls/FigureLabel.tsx';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import { measuredId, type PartMeasures } from '../measuring/analyst.ts';
import {
  useAnalyst,
  useOpenSong,
  usePlayback,
  useSelectedPart,
  useSession,
} from '../session/use-open-song.ts';
import { BlindRounds } from './BlindRounds.tsx';
import { rows, type Row, type Value } from './compared-figures.ts';
import { imageState } from '../comparing/comparing.ts';
import { nameOfState, statesOf } from '../comparing/states.ts';
import './compare.scss';

/** Plain, the image and its drafts side by side in figures, and blind. */
export function ComparePlace() {
  const part = useSelectedPart();
  if (!part) return <p className="empty">Choose a part at the left.</p>;
  return (
    <div className="compare-place" key={part.id}>
      <FiguresTable part={part} />
      <BlindRounds part={part} />
    </div>
  );
}

/** The figures of a state; plain's were taken together with those of the image. */
function measuresOf(
  parts: Readonly<Record<string, PartMeasures>>,
  part: Part,
  state: string,
): PartMeasures | null {
  const id = state === 'plain' || state === 'image' ? part.id : measuredId(part.id, state);
  return id in parts ? parts[id] : null;
}

function FiguresTable({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const parts = useAnalyst((state) => state.parts);
  const { mode } = useStore(open.comparing.store);
  const isPlain = usePlayback((state) => part.id in state.monitoring.plain);
  const [base, setBase] = useState('plain');
  const song = useSession(({ shown }) => shown);
  const states = statesOf(song, part);
  const against = states.includes(base) ? base : 'plain';
  const matching = open.comparing.matching(part);
  const shown = isPlain ? 'plain' : imageState(song, part);
  const hear = (state: string) => {
    if ((state === 'plain') !== isPlain) open.togglePlain([part.id]);
    if (state !== 'plain' && state !== imageState(song, part)) open.recallDraft(state);
    if (open.playback.store.getState().state === 'stopped') void open.playback.play();
  };
  const valueOf = (row: Row, state: string): Value => {
    const measures = measuresOf(parts, part, state);
    if (!measures) return { text: '…', size: null };
    return state === 'plain' ? row.plain(measures.measured) : row.image(measures.measured);
  };
  const current = matching?.gainsDb;
  return (
    <section className="compare-table" aria-label="Side by side">
      <table>
        <thead>
          <tr>
            <th scope="col">
              <span className="quiet small">against</span>{' '}
              <select
                className="plain-select"
                aria-label="Differences against"
                value={against}
                onChange={(event) => setBase(event.target.value)}
              >
                {states.map((state) => (
                  <option key={state} value={state}>
                    {nameOfState(state)}
                  </option>
                ))}
              </select>
            </th>
            {states.map((state) => (
              <th key={state} scope="col" data-testid={`state-${state}`}>
                <button
                  type="button"
                  className="state-button"
                  aria-pressed={state === shown}
                  title={`Hear it, as loud as the others${/\d/.test(state) ? ` (${state})` : ''}`}
                  onClick={() => hear(state)}
                >
                  {nameOfState(state)} {state === shown ? '· heard' : '▸'}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          <tr>
            <th scope="row">
              <FigureLabel figure="verdict" />
            </th>
            {states.map((state) => {
              const measures = measuresOf(parts, part, state);
              const verdict = state === 'plain' ? 'holds' : measures?.measured.report.fold.verdict;
              return (
                <td key={state}>
                  <VerdictMark verdict={verdict ?? null} /> {verdict ?? '–'}
                </td>
              );
            })}
          </tr>
          <tr>
            <th scope="row">
              <FigureLabel
                figure="matched"
                label={mode === 'heard' ? 'Raised to be equal' : 'Raised to an equal middle'}
              />{' '}
              <span className="quiet small">dB</span>
            </th>
            {states.map((state) => (
              <td key={state} className="mono" data-testid={`matched-${state}`}>
                {current && state in current ? signedFigure(current[state], 1) : '…'}
              </td>
            ))}
          </tr>
          {rows.map((row) => {
            const reference = valueOf(row, against);
            return (
              <tr key={row.label}>
                <th scope="row">
                  <FigureLabel figure={row.figure} label={row.label} />{' '}
                  <span className="quiet small">{row.unit}</span>
                </th>
                {states.map((state) => {
                  const { text, size } = valueOf(row, state);
                  const apart =
                    size === null || reference.size === null ? 0 : size - reference.size;
                  const differs = state !== against && Math.abs(apart) >= row.least;
                  return (
                    <td key={state} className={`mono${differs ? ' differs' : ''}`}>
                      {text}
                      {differs && (
                        <span className="difference">
                          {apart > 0 ? '▲' : '▼'} {figure(Math.abs(apart), row.least < 0.1 ? 2 : 1)}
                        </span>
                      )}
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
      {states.length < 3 && (
        <p className="quiet small m-0">
          Keep the image as a draft (Shift 1 to 9) to set it beside another one.
        </p>
      )}
    </section>
  );
}
