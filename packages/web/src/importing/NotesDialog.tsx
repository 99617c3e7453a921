import { tempoDescription } from '@pannet/core/moves/tempo';
import { performanceParameters } from '@pannet/core/parameters/tables';
import type { WrittenNotes } from '@pannet/core/performing/midi-file';
import {
  grids,
  plainly,
  shiftWarning,
  simulatedInstruments,
  tooLongText,
  type Performing,
  type SimulatedInstrument,
} from '@pannet/core/performing/performance';
import { plural } from '@pannet/core/quantities/wording';
import { useEffect, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';
import { NumberField } from '../controls/NumberField.tsx';
import { Progress } from '../controls/Progress.tsx';
import { useOpenSong } from '../session/use-open-song.ts';
import { ask, wasStopped } from '../workers/ask.ts';
import type { NotesToPlay } from './import-state.ts';
import { playingNotes, readingNotes } from './notes-question.ts';
import './importing.scss';

interface Props {
  readonly asked: NotesToPlay;
  readonly onLeave: () => void;
  readonly onTakes: (files: File[]) => void;
}

const mostPerformances = 8;
const usualRateHz = 48_000;
const strays = ['timingMs', 'strengthPercent', 'tuneCents'] as const;

/** Notes become takes: played on a simulated instrument, once plainly and again as other performances. */
export function NotesDialog({ asked: { file, into }, onLeave, onTakes }: Props) {
  const open = useOpenSong();
  const [notes, setNotes] = useState<WrittenNotes | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const [lineNumber, setLineNumber] = useState(0);
  const [instrument, setInstrument] = useState<SimulatedInstrument>('plucked');
  const [performances, setPerformances] = useState(2);
  const [plain, setPlain] = useState(false);
  const [how, setHow] = useState<Performing>({
    ...plainly,
    timingMs: performanceParameters.timingMs.default,
    strengthPercent: performanceParameters.strengthPercent.default,
    tuneCents: performanceParameters.tuneCents.default,
  });
  const [share, setShare] = useState<number | null>(null);
  const stop = useRef<AbortController | null>(null);

  useEffect(() => {
    const reading = new AbortController();
    const { signal } = reading;
    ask(readingNotes, { kind: 'read', file }, { signal })
      .then((read) => (read.ok ? setNotes(read.value) : setWrong(read.error.sentence)))
      .catch((error: unknown) => {
        if (!wasStopped(error)) setWrong(error instanceof Error ? error.message : String(error));
      });
    return () => reading.abort();
  }, [file]);
  useEffect(() => () => stop.current?.abort(), []);

  const line = notes?.lines[lineNumber];
  const long = notes && line ? tooLongText(line, notes.tempo) : null;
  const warning = shiftWarning(how.shift128ths, how.gridBeats);
  const play = async () => {
    if (!notes || !line) return;
    const playing = new AbortController();
    stop.current = playing;
    setShare(0);
    setWrong(null);
    const { song } = open.session.store.getState();
    const takes = Array.from({ length: performances }, (_, n): Performing => {
      const straight = plain && n === 0 ? { ...plainly, ...onTheGrid(how) } : how;
      return { ...straight, seed: how.seed + n };
    });
    try {
      const made = await ask(
        playingNotes,
        {
          kind: 'play',
          line,
          tempo: notes.tempo,
          instrument,
          takes,
          rateHz: song.rateHz ?? usualRateHz,
        },
        { signal: playing.signal, progress: setShare },
      );
      takeTempo(open, song.tempo === null ? notes : null, file.name);
      const name = file.name.replace(/\.[^.]*$/, '').slice(0, 60);
      const called = notes.lines.length > 1 ? `${name} ${line.name}`.slice(0, 70) : name;
      onTakes(
        made.map((bytes, n) => new File([bytes], `${called} ${n + 1}.wav`, { type: 'audio/wav' })),
      );
    } catch (error) {
      setShare(null);
      if (!wasStopped(error)) setWrong(error instanceof Error ? error.message : String(error));
    }
  };

  return (
    <Modal show centered onHide={onLeave}>
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h6">
          Play {file.name} as takes
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {wrong && <p role="alert">{wrong}</p>}
        {!notes && !wrong && <p className="quiet m-0">Reading the notes …</p>}
        {notes && line && (
          <div className="d-grid gap-2 notes-rows">
            {notes.lines.length > 1 && (
              <label>
                <span className="quiet">Line</span>
                <select
                  className="form-select form-select-sm"
                  value={lineNumber}
                  onChange={(event) => setLineNumber(Number(event.target.value))}
                >
                  {notes.lines.map(({ name, notes: written }, n) => (
                    <option key={n} value={n}>
                      {name}, {plural(written.length, 'note')}
                    </option>
                  ))}
                </select>
              </label>
            )}
            <label>
              <span className="quiet">Played on</span>
              <select
                className="form-select form-select-sm"
                value={instrument}
                onChange={(event) => setInstrument(event.target.value as SimulatedInstrument)}
              >
                {Object.entries(simulatedInstruments).map(([id, { name }]) => (
                  <option key={id} value={id}>
                    a simulated {name}
                  </option>
                ))}
              </select>
            </label>
            <label>
              <span className="quiet">Performances</span>
              <select
                className="form-select form-select-sm"
                value={performances}
                onChange={(event) => setPerformances(Number(event.target.value))}
              >
                {Array.from({ length: mostPerformances }, (_, n) => (
                  <option key={n} value={n + 1}>
                    {n === 0
                      ? 'one take'
                      : `${n + 1} of the same notes${into ? '' : ', left and right in turn'}`}
                  </option>
                ))}
              </select>
            </label>
            <label>
              <span className="quiet">Drawn to</span>
              <select
                className="form-select form-select-sm"
                value={how.gridBeats ?? ''}
                onChange={({ target }) =>
                  setHow({ ...how, gridBeats: target.value === '' ? null : Number(target.value) })
                }
              >
                <option value="">nothing: as they are written</option>
                {grids.map(({ name, beats }) => (
                  <option key={name} value={beats}>
                    a grid of {name}
                  </option>
                ))}
              </select>
            </label>
            {[...strays, 'shift128ths' as const].map((key) => (
              <label key={key}>
                <span className="quiet">{performanceParameters[key].label}</span>
                <NumberField
                  parameter={performanceParameters[key]}
                  label={performanceParameters[key].label}
                  value={how[key]}
                  width={110}
                  onCommit={(value) => setHow({ ...how, [key]: value })}
                />
              </label>
            ))}
            <label>
              <span className="quiet">The first one</span>
              <span>
                <input
                  type="checkbox"
                  className="form-check-input me-2"
                  checked={plain}
                  onChange={(event) => setPlain(event.target.checked)}
                />
                exactly as it is written
              </span>
            </label>
            {(warning ?? long) && (
              <p className="m-0" role="note">
                {long ?? warning}
              </p>
            )}
          </div>
        )}
        {share !== null && <Progress share={share} label="Playing the notes" className="mt-2" />}
      </Modal.Body>
      <Modal.Footer>
        {share === null ? (
          <>
            <Button variant="outline-primary" onClick={onLeave}>
              Leave it out
            </Button>
            <Button disabled={!line || long !== null} onClick={() => void play()}>
              Make {plural(performances, 'take')}
            </Button>
          </>
        ) : (
          <Button variant="outline-primary" onClick={() => stop.current?.abort()}>
            Stop
          </Button>
        )}
      </Modal.Footer>
    </Modal>
  );
}

function onTheGrid({ gridBeats, shift128ths }: Performing) {
  return { gridBeats, shift128ths };
}

/** A song without a tempo takes that of the notes, where it is one that a song may have. */
function takeTempo(
  open: ReturnType<typeof useOpenSong>,
  notes: WrittenNotes | null,
  fileName: string,
): void {
  const tempo = notes && tempoDescription.safeParse(notes.tempo);
  if (tempo?.success) open.do(`tempo of ${fileName}`, [{ kind: 'set-tempo', tempo: tempo.data }]);
}
