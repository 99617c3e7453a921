import { blindSentence } from '@pannet/core/comparing/blind';
import type { Figure } from '@pannet/core/measurement/definitions';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Comparison, Part } from '@pannet/core/song/song';
import { Trash } from '@phosphor-icons/react';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { FigureLabel } from '../controls/FigureLabel.tsx';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import { measuredId, type PartMeasures } from '../measuring/analyst.ts';
import type { Measured } from '../measuring/messages.ts';
import {
  useAnalyst,
  useOpenSong,
  usePlayback,
  useSelectedPart,
  useSong,
} from '../song/open-song.ts';
import { BlindDialog } from './BlindDialog.tsx';
import { imageState } from './comparing.ts';

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

/** “Plain”, “Image”, “Draft 2”. */
export function nameOfState(state: string): string {
  if (state === 'plain') return 'Plain';
  return state === 'image' ? 'Image' : `Draft ${state}`;
}

/** What can be compared of a part: the image stands for itself only where it is not a draft as that was kept. */
export function statesOf(part: Part): string[] {
  const now = imageState(part);
  return ['plain', ...(now === 'image' ? ['image'] : []), ...Object.keys(part.drafts).sort()];
}

/** A figure of a state: how it is written, and what of it is compared. */
interface Value {
  readonly text: string;
  readonly size: number | null;
}

interface Row {
  readonly figure: Figure;
  readonly label: string;
  /** Smaller differences are none. */
  readonly least: number;
  readonly unit: string;
  readonly image: (measured: Measured) => Value;
  readonly plain: (measured: Measured) => Value;
}

const nothing: Value = { text: '–', size: null };

function value(size: number | null | undefined, places = 1, signed = false): Value {
  if (size === null || size === undefined) return nothing;
  return { size, text: (signed ? signedFigure : figure)(size, places) };
}

const ofMono = (): Value => ({ text: 'mono', size: null });
const zero = (): Value => value(0);

const rows: readonly Row[] = [
  {
    figure: 'loudness',
    label: 'Loudness',
    unit: 'LUFS',
    least: 0.2,
    image: ({ report }) => value(report.loudnessLufs),
    plain: ({ plain }) => value(plain.lufs),
  },
  {
    figure: 'truePeak',
    label: 'True peak',
    unit: 'dBTP',
    least: 0.5,
    image: ({ report }) => value(report.truePeakDbtp),
    plain: ({ plain }) => value(plain.truePeakDbtp),
  },
  {
    figure: 'sideToMid',
    label: 'S/M',
    unit: 'dB',
    least: 0.5,
    image: ({ report }) => (report.stillMono ? ofMono() : value(report.sideToMidDb, 1, true)),
    plain: ofMono,
  },
  {
    figure: 'bands',
    label: 'S/M under 200 Hz',
    unit: 'dB',
    least: 1,
    image: ({ report }) => value(report.sideToMidBands.lowDb, 1, true),
    plain: ofMono,
  },
  {
    figure: 'lead',
    label: 'Lead',
    unit: 'ms',
    least: 0.3,
    image: ({ plannedLeadMs }) => sided(plannedLeadMs),
    plain: zero,
  },
  {
    figure: 'lean',
    label: 'Lean',
    unit: 'dB',
    least: 0.3,
    image: ({ report }) => sided(report.leanDb),
    plain: zero,
  },
  {
    figure: 'drop',
    label: 'Drop',
    unit: 'LU',
    least: 0.2,
    image: ({ report }) => value(report.fold.dropLu),
    plain: zero,
  },
  {
    figure: 'overTime',
    label: 'Worst 3 s of the fold',
    unit: 'LU',
    least: 0.3,
    image: ({ report }) => value(report.overTime.worst?.lossLu),
    plain: zero,
  },
  {
    figure: 'loss',
    label: 'Worst band of the fold',
    unit: 'dB',
    least: 0.5,
    image: ({ report }) => {
      const heard = report.fold.bands.filter(({ lossDb }) => lossDb !== null);
      const worst = heard.reduce((low, band) =>
        (band.lossDb ?? 0) < (low.lossDb ?? 0) ? band : low,
      );
      const { text, size } = value(worst.lossDb);
      return { text: `${text} at ${worst.hz} Hz`, size };
    },
    plain: zero,
  },
  {
    figure: 'dip',
    label: 'Colour: deepest dip',
    unit: 'dB',
    least: 0.5,
    image: ({ report: { fold } }) => {
      const { text, size } = value(fold.deepestDipDb);
      return { text: size === null ? text : `${text} at ${fold.deepestDipHz} Hz`, size };
    },
    plain: zero,
  },
  {
    figure: 'likeness',
    label: 'Likeness of the sides',
    unit: '',
    least: 0.05,
    image: ({ report: { likeness } }) => value(likeness?.value, 2),
    plain: () => value(1, 2),
  },
  {
    figure: 'beats',
    label: 'Beats, the faster ear',
    unit: 'Hz',
    least: 0.3,
    image: ({ beating }) => value(Math.max(beating.left.rateHz, beating.right.rateHz)),
    plain: zero,
  },
];

function sided(size: number | null): Value {
  if (size === null) return nothing;
  const { text } = value(Math.abs(size));
  return { size, text: Number(text) === 0 ? text : `${size > 0 ? 'L' : 'R'} ${text}` };
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
  const states = statesOf(part);
  const against = states.includes(base) ? base : 'plain';
  const matching = open.comparing.matching(part);
  const shown = isPlain ? 'plain' : imageState(part);
  const hear = (state: string) => {
    if ((state === 'plain') !== isPlain) open.togglePlain([part.id]);
    if (state !== 'plain' && state !== imageState(part)) open.recallDraft(state);
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

function BlindRounds({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const song = useSong();
  const blind = useStore(open.blind.store, (state) => state.blind);
  const states = statesOf(part);
  const [first, setFirst] = useState<string | null>(null);
  const [second, setSecond] = useState<string | null>(null);
  const a = first !== null && states.includes(first) ? first : (states[1] ?? 'plain');
  const rest = states.filter((state) => state !== a);
  const b = second !== null && rest.includes(second) ? second : (rest.at(-1) ?? 'plain');
  const results = song.comparisons.filter(({ partId }) => partId === part.id).toReversed();
  const choice = (
    label: string,
    chosen: string,
    among: readonly string[],
    set: (s: string) => void,
  ) => (
    <select
      className="plain-select"
      aria-label={label}
      value={chosen}
      onChange={(event) => set(event.target.value)}
    >
      {among.map((state) => (
        <option key={state} value={state}>
          {nameOfState(state)}
        </option>
      ))}
    </select>
  );
  return (
    <section className="blind-rounds" aria-label="Blind comparison">
      <h2 className="heading">Blind</h2>
      <div className="d-flex align-items-center gap-2 my-1 flex-wrap">
        {choice('First', a, states, setFirst)} against {choice('Second', b, rest, setSecond)}
        <Button
          size="sm"
          onClick={() =>
            open.blind.begin(part, a, b, crypto.getRandomValues(new Uint32Array(1))[0])
          }
        >
          Compare blind …
        </Button>
        <span className="quiet small">
          Names hidden, order shuffled each round, both equally loud.
        </span>
      </div>
      {results.map((comparison) => (
        <Result key={comparison.id} comparison={comparison} />
      ))}
      {results.length === 0 && (
        <p className="quiet small m-0">Nothing of this part was compared blind yet.</p>
      )}
      {blind && blind.partId === part.id && <BlindDialog part={part} blind={blind} />}
    </section>
  );
}

function Result({ comparison }: { readonly comparison: Comparison }) {
  const open = useOpenSong();
  const { id, at, first, second, rounds, firstChosen } = comparison;
  return (
    <div className="blind-result" data-testid="blind-result">
      <span className="quiet small">
        {new Date(at).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })}
      </span>
      <span>
        {nameOfState(first)} against {nameOfState(second)}:{' '}
        {blindSentence(nameOfState(first), nameOfState(second), rounds, firstChosen)}
      </span>
      <Button
        className="btn-tool"
        variant="light"
        aria-label="Remove this comparison"
        onClick={() => open.do('remove a comparison', [{ kind: 'remove-comparison', id }])}
      >
        <Trash />
      </Button>
    </div>
  );
}
