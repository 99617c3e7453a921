import type { Parameter, ParameterTable } from '@pannet/core/parameters/parameter';
import { sourceOf, tunerFor } from '@pannet/core/song/fitting-recipes';
import {
  bandParameters,
  colourParameters,
  driftParameters,
  toneParameters,
  tunerParameters,
  voiceParameters,
  wornParameters,
} from '@pannet/core/parameters/tables';
import { figure } from '@pannet/core/quantities/wording';
import { partFrames, type Part } from '@pannet/core/song/song';
import { driftExtremes, driftPath } from '@pannet/core/voices/drift';
import {
  delayInFrames,
  delayInMs,
  splicedAs,
  tunerKinds,
  type Delay,
  type Placement,
  type TunerKind,
  type Voice,
} from '@pannet/core/voices/voice';
import { useMemo, type ComponentType } from 'react';
import { NumberField } from '../controls/NumberField.tsx';
import { say } from '../controls/notices.ts';
import { usePlayback, useRate, useSession } from '../session/use-open-song.ts';
import {
  bothDelayFigures,
  tunerKindText,
  type VoiceChanges,
  type VoiceGroup,
} from './voice-edits.ts';

interface CellProps {
  readonly part: Part;
  readonly voice: Voice;
  readonly onPreview: (changes: VoiceChanges) => void;
  readonly onChange: (changes: VoiceChanges) => void;
  readonly onCancel: () => void;
}

/** A set of columns of the voice table. */
export interface Page {
  readonly name: string;
  readonly columns: readonly string[];
  readonly Cells: ComponentType<CellProps>;
}

export const pages: readonly Page[] = [
  { name: 'Place', columns: ['Place', 'Delay', 'Tuning', 'Level', 'Pol.'], Cells: PlaceCells },
  {
    name: 'Tuner',
    columns: ['For', 'Tuning', 'Transposed', 'Wet', 'Timbre', ''],
    Cells: TunerCells,
  },
  { name: 'Drift', columns: ['Range', 'Rate', 'Seed', 'Goes'], Cells: DriftCells },
  {
    name: 'Colour',
    columns: ['Odd', 'Even', 'Low cut', 'High cut', 'Tilt', 'Bell'],
    Cells: ToneCells,
  },
  { name: 'Worn', columns: ['Bits', 'Held at', 'Grain'], Cells: WornCells },
];

interface GroupFieldProps extends CellProps {
  readonly group: VoiceGroup;
  readonly name: string;
  readonly parameter: Parameter;
  readonly unit?: string;
  readonly width?: number;
}

/** One value of a group. */
function GroupField(props: GroupFieldProps) {
  const { voice, group, name, parameter, unit, width = 68, onPreview, onChange, onCancel } = props;
  const values = voice[group] as unknown as Readonly<Record<string, number | null>>;
  const changed = (value: number | null): VoiceChanges => ({
    [group]: { ...voice[group], [name]: value },
  });
  return (
    <NumberField
      parameter={parameter}
      label={`${parameter.label} of ${voice.name}`}
      value={values[name]}
      unit={unit}
      width={width}
      onPreview={(value) => onPreview(changed(value))}
      onCommit={(value) => onChange(changed(value))}
      onCancel={onCancel}
      onRefuse={say}
    />
  );
}

const placements: readonly (readonly [Placement['kind'], string])[] = [
  ['pan', 'pan'],
  ['mirror', 'mirrored'],
  ['spread', 'spread'],
];

function newPlacement(kind: Placement['kind']): Placement {
  switch (kind) {
    case 'pan':
      return { kind, panPercent: 0 };
    case 'mirror':
      return { kind };
    case 'spread':
      return { kind, degrees: voiceParameters.degrees.default };
  }
}

function PlaceCells(props: CellProps) {
  const { voice, onPreview, onChange, onCancel } = props;
  const { placement } = voice;
  return (
    <>
      <td>
        <select
          className="plain-select me-1"
          aria-label={`Placement of ${voice.name}`}
          value={placement.kind}
          onChange={(event) =>
            onChange({ placement: newPlacement(event.target.value as Placement['kind']) })
          }
        >
          {placements.map(([kind, label]) => (
            <option key={kind} value={kind}>
              {label}
            </option>
          ))}
        </select>
        {placement.kind === 'pan' && (
          <NumberField
            parameter={voiceParameters.panPercent}
            label={`Position of ${voice.name}`}
            value={placement.panPercent}
            width={66}
            onPreview={(panPercent) => onPreview({ placement: { kind: 'pan', panPercent } })}
            onCommit={(panPercent) => onChange({ placement: { kind: 'pan', panPercent } })}
            onCancel={onCancel}
            onRefuse={say}
          />
        )}
        {placement.kind === 'spread' && (
          <NumberField
            parameter={voiceParameters.degrees}
            label={`Phase apart of ${voice.name}`}
            value={placement.degrees}
            width={66}
            onPreview={(degrees) => onPreview({ placement: { kind: 'spread', degrees } })}
            onCommit={(degrees) => onChange({ placement: { kind: 'spread', degrees } })}
            onCancel={onCancel}
            onRefuse={say}
          />
        )}
      </td>
      <td>
        <DelayField {...props} />
      </td>
      <td>
        <GroupField
          {...props}
          group="tuner"
          name="cents"
          parameter={tunerParameters.cents}
          unit="c"
        />
      </td>
      <td>
        <NumberField
          parameter={voiceParameters.levelDb}
          label={`Level of ${voice.name}`}
          value={voice.levelDb}
          width={74}
          onPreview={(levelDb) => onPreview({ levelDb })}
          onCommit={(levelDb) => onChange({ levelDb })}
          onCancel={onCancel}
          onRefuse={say}
        />
      </td>
      <td>
        <button
          type="button"
          className="letter-toggle"
          aria-pressed={voice.polarity === 'inverted'}
          aria-label={`Inverted polarity of ${voice.name}`}
          title="Inverted polarity"
          onClick={() =>
            onChange({ polarity: voice.polarity === 'normal' ? 'inverted' : 'normal' })
          }
        >
          ø
        </button>
      </td>
    </>
  );
}

/** What is typed is kept, in the unit in which it is typed; the other unit's figure stands in the tooltip and the drawing. */
function DelayField({ voice, onPreview, onChange, onCancel }: CellProps) {
  const rateHz = useRate();
  const { delay } = voice;
  const inSamples = delay.unit === 'samples';
  const perMs = rateHz / 1000;
  const { min, max } = voiceParameters.delayMs;
  const parameter = inSamples
    ? {
        ...voiceParameters.delayMs,
        unit: 'smp',
        min: min * perMs,
        max: max * perMs,
        step: 1,
        places: 0,
      }
    : voiceParameters.delayMs;
  const at = (value: number): VoiceChanges => ({ delay: { value, unit: delay.unit } });
  const turn = (unit: Delay['unit']) => {
    if (unit === delay.unit) return;
    const value =
      unit === 'ms' ? delayInMs(delay, rateHz) : Math.round(delayInFrames(delay, rateHz));
    onChange({ delay: { value: Number(value.toFixed(5)), unit } });
  };
  return (
    <span title={bothDelayFigures(delay, rateHz)}>
      <NumberField
        parameter={parameter}
        label={`Delay of ${voice.name}`}
        unit=""
        value={delay.value}
        width={66}
        onPreview={(value) => onPreview(at(value))}
        onCommit={(value) => onChange(at(value))}
        onCancel={onCancel}
        onRefuse={say}
      />
      <select
        className="plain-select ms-1"
        aria-label={`Unit of the delay of ${voice.name}`}
        value={delay.unit}
        onChange={(event) => turn(event.target.value as Delay['unit'])}
      >
        <option value="ms">ms</option>
        <option value="samples">smp</option>
      </select>
    </span>
  );
}

function TunerCells(props: CellProps) {
  const { part, voice, onChange } = props;
  const fitting = useSession(({ song }) => tunerFor(sourceOf(song, song.parts[part.id] ?? part)));
  const preparing = usePlayback((state) => state.preparing > 0);
  const units: Readonly<Record<string, string>> = {
    cents: 'c',
    semitones: 'st',
    timbreSemitones: 'st',
  };
  return (
    <>
      <td>
        <select
          className="plain-select"
          aria-label={`What the tuner of ${voice.name} is for`}
          title="Single lines and struck sounds are spliced: attacks stay sharp, the voice moves by some ms. Chords and pads stay in time: chords keep their strums, pads are purer and their attacks go soft."
          value={voice.tuner.kind}
          onChange={(event) =>
            onChange({ tuner: { ...voice.tuner, kind: event.target.value as TunerKind } })
          }
        >
          {tunerKinds.map((kind) => (
            <option key={kind} value={kind}>
              {kind === fitting ? `${tunerKindText(kind)} (fits)` : tunerKindText(kind)}
            </option>
          ))}
        </select>
      </td>
      {Object.entries(tunerParameters).map(([name, parameter]) => (
        <td key={name}>
          <GroupField
            {...props}
            group="tuner"
            name={name}
            parameter={parameter}
            unit={units[name]}
          />
        </td>
      ))}
      <td className="quiet small">{preparing && splicedAs(voice) ? 'refining …' : ''}</td>
    </>
  );
}

function DriftCells(props: CellProps) {
  const { part, voice } = props;
  return (
    <>
      {Object.entries(driftParameters).map(([name, parameter]) => (
        <td key={name}>
          <GroupField {...props} group="drift" name={name} parameter={parameter} width={84} />
        </td>
      ))}
      <td className="mono small quiet">
        <Excursion part={part} voice={voice} />
      </td>
    </>
  );
}

/** The largest excursion and the largest detuning of the actual path. */
function Excursion({ part, voice }: { readonly part: Part; readonly voice: Voice }) {
  const rateHz = useRate();
  const frames = useSession(({ shown }) => partFrames(shown, part));
  const { drift } = voice;
  const extremes = useMemo(
    () => (drift.rangeMs === 0 ? null : driftExtremes(driftPath(drift, rateHz, frames), frames)),
    [drift, rateHz, frames],
  );
  if (!extremes) return 'stays';
  return `±${figure((extremes.frames * 1000) / rateHz, 1)} ms · up to ${figure(extremes.cents, 1)} cents`;
}

function ToneCells(props: CellProps) {
  const { voice, onPreview, onChange, onCancel } = props;
  const rows: readonly (readonly [VoiceGroup, ParameterTable])[] = [
    ['colour', colourParameters],
    ['tone', toneParameters],
  ];
  return (
    <>
      {rows.flatMap(([group, table]) =>
        Object.entries(table).map(([name, parameter]) => (
          <td key={name}>
            <GroupField {...props} group={group} name={name} parameter={parameter} width={62} />
          </td>
        )),
      )}
      <td className="text-nowrap">
        {Object.entries(bandParameters).map(([name, parameter]) => {
          const changed = (value: number): VoiceChanges => ({
            tone: { ...voice.tone, bell: { ...voice.tone.bell, [name]: value } },
          });
          return (
            <NumberField
              key={name}
              parameter={parameter}
              label={`Bell, ${parameter.label.toLowerCase()}, of ${voice.name}`}
              value={voice.tone.bell[name as keyof Voice['tone']['bell']]}
              unit={name === 'q' ? 'Q' : undefined}
              width={name === 'hz' ? 66 : name === 'q' ? 50 : 56}
              onPreview={(value) => onPreview(changed(value))}
              onCommit={(value) => onChange(changed(value))}
              onCancel={onCancel}
              onRefuse={say}
            />
          );
        })}
      </td>
    </>
  );
}

/** What a voice has lost: fewer bits, a lower rate, a grain under the sound. */
function WornCells(props: CellProps) {
  return Object.entries(wornParameters).map(([name, parameter]) => (
    <td key={name}>
      <GroupField {...props} group="worn" name={name} parameter={parameter} />
    </td>
  ));
}
