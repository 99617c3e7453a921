import type { Part } from '@pannet/core/song/song';
import {
  isNeutralPreparation,
  neutralPreparation,
  type Preparation,
} from '@pannet/core/takes/preparation';
import { signedFigure } from '@pannet/core/quantities/wording';
import Button from 'react-bootstrap/Button';
import { audioPath } from '../api/recordings.ts';
import { factsSentence } from '../importing/facts-sentence.ts';
import { originText } from '../importing/origin-text.ts';
import {
  useIsLeft,
  useOpenSong,
  useRecordings,
  useSelectedMeasures,
} from '../session/use-open-song.ts';
import { stepForAll } from '../parts/parts-together.ts';
import { preparationChanges, PreparationFields, type Change } from './PreparationFields.tsx';

/** What the take is, and what is done to it before it is spread. */
export function TakePanel({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const recordings = useRecordings();
  const measures = useSelectedMeasures();
  const { preparation } = part;
  const { compressor } = preparation;
  const edits = (next: Preparation) => [
    { kind: 'set-preparation' as const, partId: part.id, preparation: next },
  ];
  const preview = (change: Change) => open.preview(edits(change(preparation)));
  /** Of the preparation as it is kept: what is only tried is not kept under another name. */
  const commit = (change: Change) => {
    const before = open.keptPart(part.id)?.preparation;
    if (!before) return;
    const after = change(before);
    const says = preparationChanges(before, after);
    if (says.length === 0) open.session.endPreview();
    else
      stepForAll(open, part, says.join(', '), (partId) => {
        const own = open.keptPart(partId)?.preparation;
        // Of the others only what was changed.
        return own ? [{ kind: 'set-preparation', partId, preparation: change(own) }] : [];
      });
  };
  const cancel = () => open.session.endPreview();
  const reduction = measures?.measured.reductionDb ?? null;
  const isLeft = useIsLeft(part.id);
  return (
    <>
      {part.takes.map((take, n) => {
        const recording = recordings[take.recording];
        return (
          <p key={n} className="small mb-2">
            <span className="fw-semibold d-block text-truncate" title={recording.fileName}>
              {recording.fileName}
            </span>
            <span className="quiet">
              {factsSentence(recording)}
              {originText(recording)}
            </span>
            {recording.original && (
              <a
                className="d-block"
                href={audioPath(recording.original.hash)}
                download={recording.original.fileName}
              >
                Save the original
              </a>
            )}
          </p>
        );
      })}
      <h3 className="panel-heading">Before it is spread</h3>
      <PreparationFields
        preparation={preparation}
        onPreview={preview}
        onCommit={commit}
        onCancel={cancel}
      />
      {compressor.thresholdDb !== null && (
        <p className="small mono quiet mb-2" data-testid="reduction">
          {reduction === null
            ? `reduction: ${isLeft ? 'not measured' : 'measuring …'}`
            : `brings down by up to ${signedFigure(reduction, 1)} dB`}
        </p>
      )}
      {!isNeutralPreparation(preparation) && (
        <Button
          size="sm"
          variant="outline-primary"
          className="w-100"
          onClick={() => commit(() => neutralPreparation)}
        >
          Leave the take as it is
        </Button>
      )}
    </>
  );
}
