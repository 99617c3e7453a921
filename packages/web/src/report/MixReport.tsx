import { clock } from '@pannet/core/quantities/wording';
import { roots } from '@pannet/core/rendering/plan';
import { partsInOrder, songFrames, type Song } from '@pannet/core/song/song';
import { useEffect, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';
import { Progress } from '../controls/Progress.tsx';
import { FileReport } from './MeasurePage.tsx';
import { sentenceOf } from '../api/request.ts';
import { songMeasurer } from '../measuring/group-figures.ts';
import type { MeasuredFile } from '../measuring/messages.ts';
import { songKey } from '../measuring/song-key.ts';
import { ask, wasStopped } from '../workers/ask.ts';
import { useOpenSong, usePlayback, useSong } from '../session/use-open-song.ts';

type State =
  | { readonly kind: 'measuring'; readonly share: number }
  | { readonly kind: 'failed'; readonly sentence: string }
  | { readonly kind: 'done'; readonly file: MeasuredFile };

/** All parts and rooms together, over the loop or the whole song: the whole report. */
export function SongReport() {
  const [shown, setShown] = useState(false);
  return (
    <>
      <Button size="sm" variant="outline-primary" className="w-100" onClick={() => setShown(true)}>
        Measure the song …
      </Button>
      {shown && (
        <MixDialog
          root={roots.song}
          title="All parts together"
          what="The song"
          onClose={() => setShown(false)}
        />
      )}
    </>
  );
}

/** What was measured last, so that it is not measured again unchanged. */
let last: { readonly key: string; readonly file: MeasuredFile } | null = null;

interface MixProps {
  /** Id of the node that is measured: the song, or what a room gives back. */
  readonly root: string;
  readonly title: string;
  /** As a sentence about it begins: “The song”. */
  readonly what: string;
  readonly onClose: () => void;
}

/** The report on what several parts give together, without the bed. */
export function MixDialog({ root, title, what, onClose }: MixProps) {
  const { playback } = useOpenSong();
  const song = useSong();
  const loop = usePlayback((state) => (state.looping ? state.loop : null));
  const rate = song.rateHz ?? 48_000;
  const frames = songFrames(song);
  const from = Math.min(loop?.start ?? 0, frames);
  const to = Math.min(loop?.end ?? frames, frames);
  const key = `${root}/${from}/${to}/${songKey(song)}`;
  const [state, setState] = useState<State>(() =>
    last?.key === key ? { kind: 'done', file: last.file } : { kind: 'measuring', share: 0 },
  );
  const began = useRef(false);
  useEffect(() => {
    if (began.current || last?.key === key) return;
    began.current = true;
    const measuring = new AbortController();
    ask(
      songMeasurer,
      { song, root, from, to, splices: playback.wholeSplices(song) },
      {
        signal: measuring.signal,
        progress: (share) => setState({ kind: 'measuring', share }),
      },
    ).then(
      (file) => {
        last = { key, file };
        setState({ kind: 'done', file });
      },
      (error: unknown) => {
        if (!wasStopped(error)) setState({ kind: 'failed', sentence: sentenceOf(error) });
      },
    );
    return () => {
      measuring.abort();
      began.current = false;
    };
    // What changes behind the dialog is measured the next time.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);
  const stretch = `${clock(from / rate)}–${clock(to / rate)}`;
  return (
    <Modal show size="lg" centered scrollable onHide={onClose}>
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h6">
          {title}, {stretch}, without the bed
        </Modal.Title>
      </Modal.Header>
      <Modal.Body className="measure-page">
        {state.kind === 'measuring' && (
          <div className="d-flex align-items-center gap-2" role="status">
            <Progress share={state.share} label={`Measuring ${title}`} className="flex-grow-1" />
            <Button size="sm" variant="outline-primary" onClick={onClose}>
              Stop
            </Button>
          </div>
        )}
        {state.kind === 'failed' && (
          <p role="alert">
            {what} could not be measured: {state.sentence}
          </p>
        )}
        {state.kind === 'done' && (
          <FileReport name={root === roots.song ? song.title : title} file={state.file} />
        )}
        {state.kind === 'done' && root === roots.song && <MeantSo song={song} />}
      </Modal.Body>
    </Modal>
  );
}

/** What is found in single parts and meant so: said, that nobody takes it for overlooked. */
function MeantSo({ song }: { readonly song: Song }) {
  const parts = partsInOrder(song).filter(({ meant }) => meant.length > 0);
  if (parts.length === 0) return null;
  return (
    <section className="mt-3" aria-label="Meant so">
      <h3 className="h6">Meant so</h3>
      {parts.map(({ id, name, meant }) => (
        <p key={id} className="m-0">
          {name}: {meant.map((code) => code.replaceAll('-', ' ')).join(', ')}
        </p>
      ))}
    </section>
  );
}
