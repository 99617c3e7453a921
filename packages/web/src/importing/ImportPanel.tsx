import { WarningDiamond, X } from '@phosphor-icons/react';
import { useCallback, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Progress } from '../controls/Progress.tsx';
import { sentenceOf } from '../api/request.ts';
import type { OpenSong } from '../session/open-song.ts';
import { keepFile, placeRecording, type ImportOutcome, type ImportStep } from './import-files.ts';

interface ImportState {
  readonly step: ImportStep | null;
  readonly outcomes: readonly ImportOutcome[];
}

/** Brings files into a song, one after the other; what cannot be taken is said and the others go on. */
export function useImport(open: OpenSong) {
  const [state, setState] = useState<ImportState>({ step: null, outcomes: [] });
  const stopper = useRef<AbortController | null>(null);

  const bring = useCallback(
    async (files: readonly File[]) => {
      stopper.current?.abort();
      const stop = new AbortController();
      stopper.current = stop;
      const outcomes: ImportOutcome[] = [];
      for (const file of files) {
        if (stop.signal.aborted) break;
        outcomes.push(
          await bringOne(open, file, stop.signal, (step) => setState({ step, outcomes })),
        );
      }
      setState({ step: null, outcomes });
    },
    [open],
  );
  return {
    state,
    bring,
    stop: () => stopper.current?.abort(),
    dismiss: () => setState({ step: null, outcomes: [] }),
  };
}

async function bringOne(
  open: OpenSong,
  file: File,
  signal: AbortSignal,
  progress: (step: ImportStep) => void,
): Promise<ImportOutcome> {
  try {
    const { rateHz } = open.session.store.getState().song;
    const kept = await keepFile(file, rateHz, signal, progress);
    if ('taken' in kept) return kept;
    const placed = placeRecording(open.session.store.getState().song, kept, crypto.randomUUID());
    const done = open.session.do(`import ${file.name}`, placed.edits);
    if (!done.ok) return { fileName: file.name, taken: false, sentence: done.error.sentence };
    const part = placed.edits.find((edit) => edit.kind === 'add-part');
    if (part?.kind === 'add-part')
      open.selection.setState({
        partId: part.part.id,
        partIds: [part.part.id],
        voiceId: null,
        voiceIds: [],
      });
    return { fileName: file.name, taken: true, sentence: placed.sentence };
  } catch (error) {
    const stopped = error instanceof DOMException && error.name === 'AbortError';
    return {
      fileName: file.name,
      taken: false,
      sentence: stopped
        ? `“${file.name}” was stopped; nothing of it was kept.`
        : `“${file.name}”: ${sentenceOf(error)} Drop it again when the server is back.`,
    };
  }
}

interface Props {
  readonly state: ImportState;
  readonly onStop: () => void;
  readonly onDismiss: () => void;
}

export function ImportPanel({ state: { step, outcomes }, onStop, onDismiss }: Props) {
  const refused = outcomes.filter((outcome) => !outcome.taken);
  const noted = outcomes.filter((outcome) => outcome.taken);
  if (!step && refused.length === 0 && noted.length === 0) return null;
  return (
    <section className="p-2 border-bottom" aria-label="Import">
      {step && (
        <>
          <div className="d-flex align-items-center">
            <span className="text-truncate flex-grow-1" title={step.fileName}>
              {step.doing} {step.fileName}
            </span>
            <Button size="sm" variant="outline-primary" onClick={onStop}>
              Stop
            </Button>
          </div>
          <Progress share={step.share} label={`${step.doing} ${step.fileName}`} className="mt-1" />
        </>
      )}
      {!step && (
        <Button
          className="btn-tool float-end"
          variant="light"
          aria-label="Dismiss"
          onClick={onDismiss}
        >
          <X />
        </Button>
      )}
      {refused.map((outcome) => (
        <p key={outcome.fileName} className="m-0 small" role="alert">
          <WarningDiamond aria-label="Not taken:" weight="fill" color="var(--breaks)" />{' '}
          {outcome.sentence}
        </p>
      ))}
      {noted.map((outcome) => (
        <p key={outcome.fileName} className="m-0 small quiet">
          {outcome.sentence}
        </p>
      ))}
    </section>
  );
}
