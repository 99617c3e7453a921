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
import { originText } from '../importing/import-files.ts';
import { useOpenSong, useSelectedMeasures, useSong } from '../session/open-song.ts';
import { tableChanges } from './voice-edits.ts';

/** What the take is, and what is done to it before it is spread. */
export function TakePanel({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const song = useSong();
  const measures = useSelectedMeasures();
  const { preparation } = part;
  const { compressor } = preparation;
  const edits = (next: Preparation) => [
    { kind: 'set-preparation' as const, partId: part.id, preparation: next },
  ];
  const preview = (changes: Partial<Preparation>) =>
    open.preview(edits({ ...preparation, ...changes }));
  const commit = (changes: Partial<Preparation>) => {
    const before = open.session.store.getState().song.parts[part.id].preparation;
    const after = { ...preparation, ...changes };
    const says = preparationChanges(before, after);
    if (says.length === 0) open.session.endPreview();
    else open.do(`${part.name}: ${says.join(', ')}`, edits(after));
  };
  const cancel = () => open.session.endPreview();
  const withBand = (index: number, band: EqualiserBand) => ({
    bands: preparation.bands.with(index, band),
  });
  const reduction = measures?.measured.reductionDb ?? null;
  return (
    <>
      {part.takes.map((take, n) => {
        const recording = song.recordings[take.recording];
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
        onPreview={(lowCutHz) => preview({ lowCutHz })}
        onCommit={(lowCutHz) => commit({ lowCutHz })}
        onCancel={cancel}
      />
      {preparation.bands.map((band, n) => (
        <fieldset key={n} className="band-fields">
          <legend className="visually-hidden">Band {n + 1}</legend>
          <select
            className="plain-select"
            aria-label={`Kind of band ${n + 1}`}
            value={band.kind}
            onChange={(event) =>
              commit(withBand(n, { ...band, kind: event.target.value as EqualiserBand['kind'] }))
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
              value={band[name]}
              unit={name === 'q' ? 'Q' : undefined}
              width={name === 'q' ? 56 : 78}
              onPreview={(value) => preview(withBand(n, { ...band, [name]: value }))}
              onCommit={(value) => commit(withBand(n, { ...band, [name]: value }))}
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
            onPreview={(value) => preview({ compressor: { ...compressor, [name]: value } })}
            onCommit={(value) => commit({ compressor: { ...compressor, [name]: value } })}
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
          onClick={() => commit(neutralPreparation)}
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
