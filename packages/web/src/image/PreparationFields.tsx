import {
  bandParameters,
  compressorParameters,
  preparationParameters,
} from '@pannet/core/parameters/tables';
import { bandKinds, type EqualiserBand } from '@pannet/core/takes/equaliser';
import type { Preparation } from '@pannet/core/takes/preparation';
import { NumberField } from '../controls/NumberField.tsx';
import { say } from '../controls/notices.ts';
import { ParameterRow } from '../controls/ParameterRow.tsx';
import { tableChanges } from './voice-edits.ts';

/** What becomes of a preparation. */
export type Change = (from: Preparation) => Preparation;

interface Props {
  readonly preparation: Preparation;
  readonly onPreview: (change: Change) => void;
  readonly onCommit: (change: Change) => void;
  readonly onCancel: () => void;
}

/** Low cut, three bands and a compressor: of a take before it is spread, or of a group. */
export function PreparationFields({ preparation, onPreview, onCommit, onCancel }: Props) {
  const { compressor } = preparation;
  const band = (index: number, changes: Partial<EqualiserBand>): Change => {
    return (from) => ({
      ...from,
      bands: from.bands.with(index, { ...from.bands[index], ...changes }),
    });
  };
  const compressed = (changes: Partial<Preparation['compressor']>): Change => {
    return (from) => ({ ...from, compressor: { ...from.compressor, ...changes } });
  };
  return (
    <>
      <ParameterRow
        parameter={preparationParameters.lowCutHz}
        value={preparation.lowCutHz}
        onPreview={(lowCutHz) => onPreview((from) => ({ ...from, lowCutHz }))}
        onCommit={(lowCutHz) => onCommit((from) => ({ ...from, lowCutHz }))}
        onCancel={onCancel}
      />
      {preparation.bands.map((shown, n) => (
        <fieldset key={n} className="band-fields">
          <legend className="visually-hidden">Band {n + 1}</legend>
          <select
            className="plain-select"
            aria-label={`Kind of band ${n + 1}`}
            value={shown.kind}
            onChange={(event) =>
              onCommit(band(n, { kind: event.target.value as EqualiserBand['kind'] }))
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
              onPreview={(value) => onPreview(band(n, { [name]: value }))}
              onCommit={(value) => onCommit(band(n, { [name]: value }))}
              onCancel={onCancel}
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
            onPreview={(value) => onPreview(compressed({ [name]: value }))}
            onCommit={(value) => onCommit(compressed({ [name]: value }))}
            onCancel={onCancel}
          />
        ),
      )}
    </>
  );
}

/** What differs between two, in words. */
export function preparationChanges(before: Preparation, after: Preparation): string[] {
  return [
    ...tableChanges(preparationParameters, before, after),
    ...after.bands.flatMap((band, n) => [
      ...tableChanges(bandParameters, before.bands[n], band, `band ${n + 1} `),
      ...(band.kind === before.bands[n].kind ? [] : [`band ${n + 1} a ${band.kind}`]),
    ]),
    ...tableChanges(compressorParameters, before.compressor, after.compressor),
  ];
}
