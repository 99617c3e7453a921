import { figure } from '@pannet/core/quantities/wording';
import { useEffect, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';
import { Progress } from '../controls/Progress.tsx';
import { sentenceOf } from '../api/request.ts';
import { useOpenSong, useSelection, useSong } from '../session/use-open-song.ts';
import {
  canChooseFolder,
  download,
  exportStems,
  writeIntoFolder,
  zipFiles,
  type ExportedFile,
} from './export-run.ts';
import { exportNames, stemIds, stemLabel, stemOf } from './stems.ts';

type Stage =
  | { readonly kind: 'asking' }
  | { readonly kind: 'rendering'; readonly share: number }
  | {
      readonly kind: 'ready';
      readonly files: readonly ExportedFile[];
      readonly where: string | null;
    }
  | { readonly kind: 'failed'; readonly sentence: string };

/** Which parts, under which names; then progress, and the finished files with what is to be said of them. */
export function ExportDialog({ onClose }: { readonly onClose: () => void }) {
  const open = useOpenSong();
  const song = useSong();
  const { partIds: selected } = useSelection();
  const [chosen, setChosen] = useState<readonly string[]>(selected);
  const [stage, setStage] = useState<Stage>({ kind: 'asking' });
  const stopper = useRef<AbortController | null>(null);
  useEffect(() => () => stopper.current?.abort(), []);

  const all = stemIds(song);
  const ids = all.filter((id) => chosen.includes(id));
  const names = exportNames(song, ids);
  const run = async () => {
    const stop = new AbortController();
    stopper.current = stop;
    setStage({ kind: 'rendering', share: 0 });
    try {
      const files = await exportStems(
        song,
        ids,
        (partIds) => open.playback.wholeSplices(song, partIds),
        stop.signal,
        (share) => setStage({ kind: 'rendering', share }),
      );
      setStage({ kind: 'ready', files, where: null });
    } catch (error) {
      const stopped = error instanceof DOMException && error.name === 'AbortError';
      setStage(stopped ? { kind: 'asking' } : { kind: 'failed', sentence: sentenceOf(error) });
    }
  };
  const toggle = (id: string) =>
    setChosen(chosen.includes(id) ? chosen.filter((other) => other !== id) : [...chosen, id]);

  return (
    <Modal show onHide={onClose} centered backdrop={stage.kind === 'rendering' ? 'static' : true}>
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h6">
          Export wide stems
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {stage.kind === 'asking' && (
          <>
            <p className="quiet">
              Stereo WAV at the source&apos;s rate, 24 bits (float where the source is), same start
              and same length; what a room gives back with its tail. A part is written without what
              is done to its group. The part&apos;s level is in the file; solo, mute and the bed are
              not.
            </p>
            {all.map((id) => (
              <div key={id} className="form-check">
                <input
                  className="form-check-input"
                  type="checkbox"
                  id={`export-${id}`}
                  checked={chosen.includes(id)}
                  onChange={() => toggle(id)}
                />
                <label className="form-check-label d-flex" htmlFor={`export-${id}`}>
                  <span className="flex-grow-1">{stemLabel(stemOf(song, id))}</span>
                  <span className="quiet mono small">{names[ids.indexOf(id)] ?? ''}</span>
                </label>
              </div>
            ))}
          </>
        )}
        {stage.kind === 'rendering' && (
          <>
            <p>Rendering {ids.length === 1 ? names[0] : `${ids.length} stems`} …</p>
            <Progress share={stage.share} label="Export" />
          </>
        )}
        {stage.kind === 'failed' && (
          <p role="alert">The export failed: {stage.sentence} Nothing was written.</p>
        )}
        {stage.kind === 'ready' && <Finished stage={stage} />}
      </Modal.Body>
      <Modal.Footer>
        {stage.kind === 'asking' && (
          <Button disabled={ids.length === 0} onClick={() => void run()}>
            Render {ids.length === 1 ? '1 stem' : `${ids.length} stems`}
          </Button>
        )}
        {stage.kind === 'rendering' && (
          <Button variant="outline-primary" onClick={() => stopper.current?.abort()}>
            Stop
          </Button>
        )}
        {stage.kind === 'failed' && <Button onClick={() => void run()}>Try again</Button>}
        {stage.kind === 'ready' && (
          <Delivery
            files={stage.files}
            zipName={`${song.title}.zip`}
            onWritten={(where) => setStage({ ...stage, where })}
            onFailed={(sentence) => setStage({ kind: 'failed', sentence })}
          />
        )}
      </Modal.Footer>
    </Modal>
  );
}

function Finished({ stage }: { readonly stage: Extract<Stage, { kind: 'ready' }> }) {
  return (
    <>
      {stage.where !== null && <p role="status">Written into “{stage.where}”.</p>}
      {stage.files.map((file) => (
        <div key={file.stemId} className="mb-1">
          <div className="d-flex">
            <span className="mono flex-grow-1">{file.fileName}</span>
            <span className="quiet mono">{figure(file.blob.size / 1e6, 1)} MB</span>
          </div>
          {file.notes.map((note) => (
            <div key={note} className="small quiet">
              {note}
            </div>
          ))}
        </div>
      ))}
    </>
  );
}

interface DeliveryProps {
  readonly files: readonly ExportedFile[];
  readonly zipName: string;
  readonly onWritten: (folder: string) => void;
  readonly onFailed: (sentence: string) => void;
}

function Delivery({ files, zipName, onWritten, onFailed }: DeliveryProps) {
  const [zipping, setZipping] = useState(false);
  const save = async () => {
    const [only] = files;
    if (files.length === 1 && only) {
      download(only.blob, only.fileName);
      return;
    }
    setZipping(true);
    download(await zipFiles(files), zipName);
    setZipping(false);
  };
  const intoFolder = () =>
    writeIntoFolder(files).then(onWritten, (error: unknown) => {
      // Closing the browser's own dialog is no failure.
      if (!(error instanceof DOMException && error.name === 'AbortError'))
        onFailed(sentenceOf(error));
    });
  return (
    <>
      {canChooseFolder() && (
        <Button variant="outline-primary" onClick={() => void intoFolder()}>
          Into a folder …
        </Button>
      )}
      <Button disabled={zipping} onClick={() => void save()}>
        {files.length === 1 ? 'Save the file' : zipping ? 'Packing …' : 'Save as one zip'}
      </Button>
    </>
  );
}
