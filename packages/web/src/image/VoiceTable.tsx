import {
  ArrowsLeftRight,
  Copy,
  Plus,
  SpeakerHigh,
  SpeakerSlash,
  Trash,
} from '@phosphor-icons/react';
import { freeVoiceId, mostVoices, newVoice } from '@pannet/core/image/image';
import { voiceParameters } from '@pannet/core/parameters/tables';
import type { Edit } from '@pannet/core/song/edits';
import type { Part } from '@pannet/core/song/song';
import { delayInFrames, delayInMs, type Delay, type Voice } from '@pannet/core/voices/voice';
import Button from 'react-bootstrap/Button';
import { NumberField } from '../controls/NumberField.tsx';
import { say } from '../controls/notices.ts';
import { useOpenSong, useSelection, useSong } from '../song/open-song.ts';
import { bothDelayFigures, changeName, voiceEdit, type VoiceChanges } from './voice-edits.ts';

/** Every value of every voice, typed, with its unit. */
export function VoiceTable({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const { voices } = part.image;
  const setVoices = (name: string, next: readonly Voice[]): void => {
    const edit: Edit = {
      kind: 'set-image',
      partId: part.id,
      image: { ...part.image, voices: next },
    };
    open.do(`${part.name}: ${name}`, [edit]);
  };
  const add = () => {
    const voice = newVoice(freeVoiceId(voices), `voice ${voices.length + 1}`);
    setVoices('add a voice', [...voices, voice]);
    open.selection.setState({ voiceId: voice.id });
  };
  const swap = () => setVoices('swap sides', voices.map(swapped));
  return (
    <section className="voice-table" aria-label="Voices">
      <table>
        <thead>
          <tr>
            <th>Voice</th>
            <th>Place</th>
            <th>Delay</th>
            <th>Tuning</th>
            <th>Level</th>
            <th title="Polarity">Pol.</th>
            <th className="text-end">
              <Button className="btn-tool" variant="light" title="Swap the sides" onClick={swap}>
                <ArrowsLeftRight aria-hidden /> Swap sides
              </Button>
              <Button
                className="btn-tool"
                variant="light"
                disabled={voices.length >= mostVoices}
                onClick={add}
              >
                <Plus aria-hidden /> Add voice
              </Button>
            </th>
          </tr>
        </thead>
        <tbody>
          {voices.map((voice) => (
            <VoiceRow
              key={voice.id}
              part={part}
              voice={voice}
              onDuplicate={() =>
                setVoices(`duplicate ${voice.name}`, [
                  ...voices,
                  { ...voice, id: freeVoiceId(voices), name: `${voice.name} copy`.slice(0, 60) },
                ])
              }
              onRemove={() =>
                setVoices(
                  `remove ${voice.name}`,
                  voices.filter((other) => other.id !== voice.id),
                )
              }
            />
          ))}
        </tbody>
      </table>
      {voices.length === 0 && (
        <p className="empty m-0">No voice: the part is silent. Add one, or take a recipe.</p>
      )}
    </section>
  );
}

function swapped(voice: Voice): Voice {
  if (voice.placement.kind === 'mirror')
    return { ...voice, polarity: voice.polarity === 'normal' ? 'inverted' : 'normal' };
  // Not −0, which a saved document would not keep.
  return { ...voice, placement: { kind: 'pan', panPercent: 0 - voice.placement.panPercent } };
}

interface RowProps {
  readonly part: Part;
  readonly voice: Voice;
  readonly onDuplicate: () => void;
  readonly onRemove: () => void;
}

function VoiceRow({ part, voice, onDuplicate, onRemove }: RowProps) {
  const open = useOpenSong();
  const selected = useSelection().voiceId === voice.id;
  const confirmed = () =>
    open.session.store
      .getState()
      .song.parts[part.id].image.voices.find((other) => other.id === voice.id) ?? voice;
  const preview = (changes: VoiceChanges) => open.preview(voiceEdit(part, voice, changes));
  const change = (changes: VoiceChanges) =>
    open.do(changeName(confirmed(), changes), voiceEdit(part, voice, changes));
  const cancel = () => open.session.endPreview();
  return (
    <tr
      className={selected ? 'selected' : undefined}
      onFocus={() => open.selection.setState({ voiceId: voice.id })}
      onPointerDown={() => open.selection.setState({ voiceId: voice.id })}
    >
      <td style={{ minWidth: 96 }}>
        <input
          className="name-input"
          aria-label={`Name of ${voice.name}`}
          key={voice.name}
          defaultValue={voice.name}
          maxLength={60}
          onBlur={(event) => {
            const name = event.target.value.trim();
            if (name && name !== voice.name) change({ name });
          }}
          onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
        />
      </td>
      <td>
        <select
          className="plain-select me-1"
          aria-label={`Placement of ${voice.name}`}
          value={voice.placement.kind}
          onChange={(event) =>
            change({
              placement:
                event.target.value === 'mirror'
                  ? { kind: 'mirror' }
                  : { kind: 'pan', panPercent: 0 },
            })
          }
        >
          <option value="pan">pan</option>
          <option value="mirror">mirrored</option>
        </select>
        {voice.placement.kind === 'pan' && (
          <NumberField
            parameter={voiceParameters.panPercent}
            label={`Position of ${voice.name}`}
            value={voice.placement.panPercent}
            width={66}
            onPreview={(panPercent) => preview({ placement: { kind: 'pan', panPercent } })}
            onCommit={(panPercent) => change({ placement: { kind: 'pan', panPercent } })}
            onCancel={cancel}
            onRefuse={say}
          />
        )}
      </td>
      <td>
        <DelayField voice={voice} onPreview={preview} onChange={change} onCancel={cancel} />
      </td>
      <td>
        <NumberField
          parameter={voiceParameters.cents}
          label={`Tuning of ${voice.name}`}
          value={voice.tuner.cents}
          unit="c"
          width={66}
          onPreview={(cents) => preview({ tuner: { ...voice.tuner, cents } })}
          onCommit={(cents) => change({ tuner: { ...voice.tuner, cents } })}
          onCancel={cancel}
          onRefuse={say}
        />
      </td>
      <td>
        <NumberField
          parameter={voiceParameters.levelDb}
          label={`Level of ${voice.name}`}
          value={voice.levelDb}
          width={74}
          onPreview={(levelDb) => preview({ levelDb })}
          onCommit={(levelDb) => change({ levelDb })}
          onCancel={cancel}
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
          onClick={() => change({ polarity: voice.polarity === 'normal' ? 'inverted' : 'normal' })}
        >
          ø
        </button>
      </td>
      <td className="text-end">
        <Button
          className="btn-tool"
          variant="light"
          aria-pressed={voice.muted}
          aria-label={`${voice.muted ? 'Unmute' : 'Mute'} ${voice.name}`}
          onClick={() => change({ muted: !voice.muted })}
        >
          {voice.muted ? <SpeakerSlash size={16} weight="fill" /> : <SpeakerHigh size={16} />}
        </Button>
        <Button
          className="btn-tool"
          variant="light"
          aria-label={`Duplicate ${voice.name}`}
          disabled={part.image.voices.length >= mostVoices}
          onClick={onDuplicate}
        >
          <Copy size={16} />
        </Button>
        <Button
          className="btn-tool"
          variant="light"
          aria-label={`Remove ${voice.name}`}
          onClick={onRemove}
        >
          <Trash size={16} />
        </Button>
      </td>
    </tr>
  );
}

interface DelayProps {
  readonly voice: Voice;
  readonly onPreview: (changes: VoiceChanges) => void;
  readonly onChange: (changes: VoiceChanges) => void;
  readonly onCancel: () => void;
}

/** What is typed is kept, in the unit in which it is typed; the other unit's figure stands in the tooltip and the drawing. */
function DelayField({ voice, onPreview, onChange, onCancel }: DelayProps) {
  const rateHz = useSong().rateHz ?? 48_000;
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
