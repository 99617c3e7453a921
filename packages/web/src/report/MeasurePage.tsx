import { findingsOf } from '@pannet/core/findings/findings';
import { clock } from '@pannet/core/quantities/wording';
import { useEffect, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';
import { Progress } from '../controls/Progress.tsx';
import { say } from '../controls/notices.ts';
import { FigureLabel } from '../controls/FigureLabel.tsx';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import { DropArea } from '../controls/DropArea.tsx';
import { figureTexts } from '../measuring/figure-texts.ts';
import { BandChart } from './BandChart.tsx';
import { sentenceOf } from '../api/request.ts';
import type { MeasuredFile } from '../measuring/messages.ts';
import { ask, question, wasStopped } from '../workers/ask.ts';
import './report.scss';
import '../fold/fold.scss';

type State =
  | { readonly kind: 'waiting' }
  | { readonly kind: 'measuring'; readonly name: string; readonly share: number }
  | { readonly kind: 'done'; readonly name: string; readonly file: MeasuredFile }
  | { readonly kind: 'failed'; readonly name: string; readonly sentence: string };

const measurer = question<File, MeasuredFile>(
  () => new Worker(new URL('./file.worker.ts', import.meta.url), { type: 'module' }),
);

/** Any file in figures, without making a part of it: a finished mix, a stem from elsewhere. It stays in this browser. */
export function MeasurePage() {
  const [state, setState] = useState<State>({ kind: 'waiting' });
  const measuring = useRef<AbortController | null>(null);
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => () => measuring.current?.abort(), []);
  const stop = () => {
    measuring.current?.abort();
    measuring.current = null;
    setState({ kind: 'waiting' });
  };
  const measure = (files: readonly File[]) => {
    const file = files.at(0);
    if (!file) return;
    if (files.length > 1)
      say(`One file is measured at a time: this is “${file.name}”, the first of ${files.length}.`);
    measuring.current?.abort();
    const mine = new AbortController();
    measuring.current = mine;
    const { name } = file;
    setState({ kind: 'measuring', name, share: 0 });
    ask(measurer, file, {
      signal: mine.signal,
      progress: (share) => setState({ kind: 'measuring', name, share }),
    }).then(
      (measured) => setState({ kind: 'done', name, file: measured }),
      (error: unknown) => {
        if (!wasStopped(error)) setState({ kind: 'failed', name, sentence: sentenceOf(error) });
      },
    );
  };
  return (
    <DropArea hint="Drop a file to measure it" onFiles={measure}>
      <main className="songs-page measure-page">
        <header className="d-flex align-items-baseline mb-3 gap-3">
          <Link to="/" className="quiet text-decoration-none">
            Songs
          </Link>
          <h1 className="h4 m-0 flex-grow-1">Measure a file</h1>
          <Button variant="outline-primary" onClick={() => input.current?.click()}>
            Choose a file
          </Button>
          <input
            ref={input}
            type="file"
            accept="audio/*,.wav,.flac,.mp3,.ogg,.aif,.aiff,.aifc"
            hidden
            aria-label="File to measure"
            onChange={(event) => {
              measure([...(event.target.files ?? [])]);
              event.target.value = '';
            }}
          />
        </header>
        {state.kind === 'waiting' && (
          <p className="empty">
            Drop a stereo file here: a finished mix, a stem from elsewhere. It is measured in this
            browser and goes nowhere. WAV, FLAC, MP3, Ogg Vorbis and AIFF can be read.
          </p>
        )}
        {state.kind === 'measuring' && (
          <div role="status">
            <p className="mb-1">Measuring “{state.name}” …</p>
            <div className="d-flex align-items-center gap-2">
              <Progress share={state.share} label="Measuring" className="flex-grow-1" />
              <Button size="sm" variant="outline-primary" onClick={stop}>
                Stop
              </Button>
            </div>
          </div>
        )}
        {state.kind === 'failed' && (
          <p role="alert">
            “{state.name}” could not be measured: {state.sentence}
          </p>
        )}
        {state.kind === 'done' && <FileReport name={state.name} file={state.file} />}
      </main>
    </DropArea>
  );
}

export function FileReport({ name, file }: { readonly name: string; readonly file: MeasuredFile }) {
  const { report, colour, seconds } = file;
  const { fold } = report;
  return (
    <article aria-label={`Report of ${name}`}>
      <h2 className="h6 d-flex align-items-center gap-2" data-testid="file-verdict">
        <VerdictMark verdict={fold.verdict} size={20} />
        <span className="text-truncate">{name}</span>
        <span className="quiet fw-normal">
          {clock(seconds, 1)} · {report.rateHz / 1000} kHz
          {file.channels === 1 ? ' · one channel' : ''}
          {fold.verdict
            ? ` · the fold ${fold.verdict === 'watch' ? 'is to be watched' : fold.verdict}`
            : ''}
        </span>
      </h2>
      <div className="report-grid">
        {(Object.keys(figureTexts) as (keyof typeof figureTexts)[]).map((key) => (
          <div key={key}>
            <FigureLabel figure={key} />
            <div className="value mono" data-testid={`file-${key}`}>
              {figureTexts[key](report)}
            </div>
          </div>
        ))}
      </div>
      <BandChart report={report} colour={colour} />
      <section aria-label="Findings">
        {findingsOf(report).map(({ code, sentence }) => (
          <p key={code} className="finding m-0">
            {sentence}
          </p>
        ))}
      </section>
    </article>
  );
}
