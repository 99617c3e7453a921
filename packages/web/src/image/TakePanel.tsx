import {
  bandParameters,
  compressorParameters,
  preparationParameters,
} from '@pannet/core/parameters/tables';
import type { Part } from '@pannet/core/song/song';
import { bandKinds, type EqualiserBand } from '@pannet/core/takes/equaliser';
import {
  isNeutralPreparation,
  neutralPreparation,
  type Preparation,
} from '@pannet/core/takes/preparation';
import { signedFigure } from '@pannet/core/quantities/wording';
import Button from 'react-bootstrap/Button';
import { NumberField } from '../controls/NumberField.tsx';
import { say } from '../controls/notices.ts';
import { ParameterRow } from '../controls/ParameterRow.tsx';
import { audioPath } from '../api/recordings.ts';
import { factsSentence } from '../importing/facts-sentence.ts';
import { originText } from '../importing/placing.ts';
import { useOpenSong, useRecordings, useSelectedMeasures } from '../session/open-song.ts';
import { stepForAll } from '../parts/parts-together.ts';
import { tableChanges } from './voice-edits.ts';

/** What becomes of a preparation. */
type Change = (from: Preparation) => Preparation;

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
  const band = (index: number, changes: Partial<EqualiserBand>): Change => {
    return (from) => ({
      ...from,
      bands: from.bands.with(index, { ...from.bands[index], ...changes }),
    });
  };
  const compressed = (changes: Partial<Preparation['compressor']>): Change => {
    return (from) => ({ ...from, compressor: { ...from.compressor, ...changes } });
  };
  const reduction = measures?.measured.reductionDb ?? null;
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
      <ParameterRow
        parameter={preparationParameters.lowCutHz}
        value={preparation.lowCutHz}
        onPreview={(lowCutHz) => preview((from) => ({ ...from, lowCutHz }))}
        onCommit={(lowCutHz) => commit((from) => ({ ...from, lowCutHz }))}
        onCancel={cancel}
      />
      {preparation.bands.map((shown, n) => (
        <fieldset key={n} className="band-fields">
          <legend className="visually-hidden">Band {n + 1}</legend>
          <select
            className="plain-select"
            aria-label={`Kind of band ${n + 1}`}
            value={shown.kind}
            onChange={(event) =>
              commit(band(n, { kind: event.target.value as EqualiserBand['kind'] }))
            }
          >
            {bandKinds.map((kind) => (
              <option key={kind}>{kind}</option>
            ))}
          </select>
          {(['db', 'hz', 'q'] as const).map((name) => (
            <NumberField
              key={name}
              parameter={bandParameters[name]}
              label={`Band ${n + 1}, ${bandParameters[name].label.toLowerCase()}`}
              value={shown[name]}
              unit={name === 'q' ? 'Q' : undefined}
              width={name === 'q' ? 56 : 78}
              onPreview={(value) => preview(band(n, { [name]: value }))}
              onCommit={(value) => commit(band(n, { [name]: value }))}
              onCancel={cancel}
              onRefuse={say}
            />
          ))}
        </fieldset>
      ))}
      <h3 className="panel-heading">Compressor</h3>
      {(['thresholdDb', 'ratio', 'attackMs', 'releaseMs', 'makeUpDb'] as const).map((name) =>
        name !== 'thresholdDb' && compressor.thresholdDb === null ? null : (
          <ParameterRow
            key={name}
            parameter={compressorParameters[name]}
            value={compressor[name]}
            slider={name === 'thresholdDb'}
            onPreview={(value) => preview(compressed({ [name]: value }))}
            onCommit={(value) => commit(compressed({ [name]: value }))}
            onCancel={cancel}
          />
        ),
      )}
      {compressor.thresholdDb !== null && (
        <p className="small mono quiet mb-2" data-testid="reduction">
          {reduction === null
            ? 'reduction: measuring …'
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

function preparationChanges(before: Preparation, after: Preparation): string[] {
  return [
    ...tableChanges(preparationParameters, before, after),
    ...after.bands.flatMap((band, n) => [
      ...tableChanges(bandParameters, before.bands[n], band, `band ${n + 1} `),
      ...(band.kind === before.bands[n].kind ? [] : [`band ${n + 1} a ${band.kind}`]),
    ]),
    ...tableChanges(compressorParameters, before.compressor, after.compressor),
  ];
}
