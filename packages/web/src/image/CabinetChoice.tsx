import {
  isRecorded,
  usualMicrophone,
  type Amp,
  type BuiltCabinet,
  type Cabinet,
  type RecordedCabinet,
} from '@pannet/core/amps/amp';
import { cabinetKinds, cabinets, type CabinetKind } from '@pannet/core/amps/cabinet';
import type { Voice } from '@pannet/core/voices/voice';
import { useRef } from 'react';
import { WavPicker } from '../importing/WavPicker.tsx';
import { useSong } from '../session/use-open-song.ts';
import { MicrophonePlan } from './MicrophonePlan.tsx';
import { ownImpulses } from './own-impulses.ts';

interface Props {
  readonly voice: Voice;
  readonly amp: Amp;
  readonly onPreview: (amp: Amp) => void;
  readonly onKeep: (amp: Amp) => void;
  readonly onCancel: () => void;
  readonly onImpulse: (file: File) => void;
}

const own = 'own:';
const another = 'another';

/** What a chain is heard through: nothing, a cabinet of ours with its microphone, or an impulse response of the engineer's. */
export function CabinetChoice({ voice, amp, onPreview, onKeep, onCancel, onImpulse }: Props) {
  const { cabinet } = amp;
  const responses = ownImpulses(useSong());
  const picker = useRef<HTMLInputElement>(null);
  const keep = (next: Cabinet | null) => onKeep({ ...amp, cabinet: next });
  const choose = (value: string) => {
    if (value === another) picker.current?.click();
    else if (value === '') keep(null);
    else if (value.startsWith(own))
      keep({ impulse: value.slice(own.length), keepDelay: true, levelled: true });
    else
      keep({
        ...(cabinet && !isRecorded(cabinet) ? cabinet : usualMicrophone),
        kind: value as CabinetKind,
      });
  };
  return (
    <div className="amp-cabinet">
      <select
        className="plain-select"
        aria-label={`Cabinet, chain of ${voice.name}`}
        value={cabinet ? (isRecorded(cabinet) ? own + cabinet.impulse : cabinet.kind) : ''}
        onChange={(event) => choose(event.target.value)}
      >
        <option value="">no cabinet</option>
        <optgroup label="Ours">
          {cabinetKinds.map((kind) => (
            <option key={kind} value={kind}>
              {cabinets[kind].name}
            </option>
          ))}
        </optgroup>
        <optgroup label="Impulse responses of yours">
          {responses.map(({ hash, fileName }) => (
            <option key={hash} value={own + hash}>
              {fileName}
            </option>
          ))}
          <option value={another}>a file …</option>
        </optgroup>
      </select>
      <WavPicker
        ref={picker}
        label={`Impulse response for ${voice.name}`}
        onFiles={([file]) => onImpulse(file)}
      />
      {cabinet && isRecorded(cabinet) && <RecordedSettings cabinet={cabinet} onKeep={keep} />}
      {cabinet && !isRecorded(cabinet) && (
        <>
          <MicrophonePlan
            label={`Microphone of ${voice.name}`}
            cabinet={cabinet}
            onPreview={(next) => onPreview({ ...amp, cabinet: next })}
            onCommit={keep}
            onCancel={onCancel}
          />
          <KeepsDelay
            cabinet={cabinet}
            title={`The way to the microphone is a delay of ${(cabinet.distanceCm / 34.3).toFixed(2)} ms; otherwise it is taken out`}
            onKeep={keep}
          />
        </>
      )}
    </div>
  );
}

interface DelayProps<Of extends Cabinet> {
  readonly cabinet: Of;
  readonly title: string;
  readonly onKeep: (cabinet: Of) => void;
}

function KeepsDelay<Of extends BuiltCabinet | RecordedCabinet>(props: DelayProps<Of>) {
  const { cabinet, title, onKeep } = props;
  return (
    <label className="quiet small" title={title}>
      <input
        type="checkbox"
        checked={cabinet.keepDelay}
        onChange={(event) => onKeep({ ...cabinet, keepDelay: event.target.checked })}
      />{' '}
      keep its delay
    </label>
  );
}

function RecordedSettings({ cabinet, onKeep }: Omit<DelayProps<RecordedCabinet>, 'title'>) {
  return (
    <>
      <KeepsDelay
        cabinet={cabinet}
        title="What is silent at its beginning is heard as a delay; otherwise it is taken out"
        onKeep={onKeep}
      />
      <label
        className="quiet small"
        title="Made as loud as nothing, on the mean from 80 Hz to 5 kHz; otherwise at its own level"
      >
        <input
          type="checkbox"
          checked={cabinet.levelled}
          onChange={(event) => onKeep({ ...cabinet, levelled: event.target.checked })}
        />{' '}
        level it
      </label>
    </>
  );
}
