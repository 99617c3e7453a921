import { Plus } from '@phosphor-icons/react';
import { usualAmp, type Amp } from '@pannet/core/amps/amp';
import { cabinetKinds, cabinets, type CabinetKind } from '@pannet/core/amps/cabinet';
import { driveShapes, type DriveShape } from '@pannet/core/amps/drive';
import { ampParameters, ampToneParameters } from '@pannet/core/parameters/tables';
import type { Parameter } from '@pannet/core/parameters/parameter';
import type { Part } from '@pannet/core/song/song';
import type { Voice } from '@pannet/core/voices/voice';
import Button from 'react-bootstrap/Button';
import { NumberField } from '../controls/NumberField.tsx';
import { say } from '../controls/notices.ts';
import { useOpenSong, usePlayback, useRecordings } from '../session/open-song.ts';
import { ChainsApartPanel } from './ChainsApartPanel.tsx';
import { MicrophonePlan } from './MicrophonePlan.tsx';
import { changeName, voiceEdit, type VoiceChanges } from './voice-edits.ts';

/** From left to right as they stand; what stands nowhere (mirrored, spread) behind them. */
function inOrder(voices: readonly Voice[]): readonly Voice[] {
  const place = ({ placement }: Voice) =>
    placement.kind === 'pan' ? placement.panPercent : Number.POSITIVE_INFINITY;
  return [...voices].sort((a, b) => place(a) - place(b));
}

/** What each voice is played through, one column a voice, and how the outer two differ. */
export function AmpPage({ part }: { readonly part: Part }) {
  const voices = inOrder(part.image.voices);
  const [first, last] = [voices.at(0), voices.at(-1)];
  const recordings = useRecordings();
  const driven = part.takes.some(({ recording }) => recordings[recording].facts?.driven);
  return (
    <div className="amp-page">
      {driven && (
        <p className="small m-0 px-2" role="note">
          This take is driven already: a chain bends it twice, which sounds false. The clean signal
          serves better; a cabinet alone does no harm.
        </p>
      )}
      <div className="amp-columns">
        {voices.map((voice, n) => (
          <AmpColumn key={voice.id} part={part} voice={voice} others={voices}>
            {n === 0 && first && last && first !== last && (
              <ChainsApartPanel part={part} first={first} second={last} />
            )}
          </AmpColumn>
        ))}
        {voices.length === 0 && <p className="empty m-0">No voice: there is nothing to drive.</p>}
      </div>
    </div>
  );
}

function sideOf({ placement }: Voice): 'L' | 'R' | 'M' {
  if (placement.kind !== 'pan' || placement.panPercent === 0) return 'M';
  return placement.panPercent < 0 ? 'L' : 'R';
}

interface ColumnProps {
  readonly part: Part;
  readonly voice: Voice;
  readonly others: readonly Voice[];
  /** Beside it. */
  readonly children: React.ReactNode;
}

function AmpColumn({ part, voice, others, children }: ColumnProps) {
  const open = useOpenSong();
  const soloed = usePlayback((state) => state.soloVoices[part.id]?.includes(voice.id) ?? false);
  const { amp } = voice;
  const side = sideOf(voice);
  /** As it is kept: what is only tried is not built upon. */
  const kept = () =>
    open.keptPart(part.id)?.image.voices.find(({ id }) => id === voice.id) ?? voice;
  const onKept = (next: Amp | null): VoiceChanges =>
    open.onKept<VoiceChanges>(part.id, voice, kept(), { amp: next });
  const keep = (next: Amp | null) =>
    open.do(changeName(kept(), onKept(next)), voiceEdit(part, voice, onKept(next)));
  const preview = (next: Amp) => open.preview(voiceEdit(part, voice, onKept(next)));
  const cancel = () => open.session.endPreview();
  const copyAcross = () =>
    open.do(
      `${voice.name}: its chain for all`,
      others
        .filter(({ id }) => id !== voice.id)
        .flatMap((other) => voiceEdit(part, other, { amp: kept().amp })),
    );
  const field = (parameter: Parameter, value: number, changed: (value: number) => Amp) => (
    <label className="amp-field">
      <span className="quiet">{parameter.label}</span>
      <NumberField
        parameter={parameter}
        label={`${parameter.label}, chain of ${voice.name}`}
        value={value}
        width={64}
        onPreview={(next) => preview(changed(next))}
        onCommit={(next) => keep(changed(next))}
        onCancel={cancel}
        onRefuse={say}
      />
    </label>
  );
  return (
    <>
      <section className={`amp-column side-${side}`} aria-label={`Chain of ${voice.name}`}>
        <div className="amp-head">
          <b aria-hidden>{side}</b>
          <span className="text-truncate fw-semibold">{voice.name}</span>
          <span className="flex-grow-1" />
          <button
            type="button"
            className="letter-toggle"
            aria-pressed={soloed}
            aria-label={`Hear ${voice.name} alone`}
            title="Hear this chain alone"
            onClick={() => open.playback.soloVoice(part.id, voice.id)}
          >
            S
          </button>
          {amp ? (
            <>
              <Button
                className="btn-tool"
                variant="light"
                title="The same chain for all voices of this part"
                onClick={copyAcross}
              >
                Copy
              </Button>
              <Button
                className="btn-tool"
                variant="light"
                aria-label={`No chain for ${voice.name}`}
                title="Take the chain away"
                onClick={() => keep(null)}
              >
                None
              </Button>
            </>
          ) : (
            <Button
              className="btn-tool"
              variant="light"
              aria-label={`A chain for ${voice.name}`}
              onClick={() => keep(usualAmp)}
            >
              <Plus aria-hidden /> Chain
            </Button>
          )}
        </div>
        {amp ? (
          <>
            <div className="amp-fields">
              {field(ampParameters.inputDb, amp.inputDb, (inputDb) => ({ ...amp, inputDb }))}
              {field(ampParameters.driveDb, amp.driveDb, (driveDb) => ({ ...amp, driveDb }))}
              <label className="amp-field">
                <span className="quiet">Shape</span>
                <select
                  className="plain-select"
                  aria-label={`Shape, chain of ${voice.name}`}
                  value={amp.shape}
                  onChange={(event) => keep({ ...amp, shape: event.target.value as DriveShape })}
                >
                  {driveShapes.map((shape) => (
                    <option key={shape}>{shape}</option>
                  ))}
                </select>
              </label>
              {Object.entries(ampToneParameters).map(([name, parameter]) => (
                <span key={name} className="d-contents">
                  {field(parameter, amp.tone[name as keyof Amp['tone']], (value) => ({
                    ...amp,
                    tone: { ...amp.tone, [name]: value },
                  }))}
                </span>
              ))}
              {field(ampParameters.squashPercent, amp.squashPercent, (squashPercent) => ({
                ...amp,
                squashPercent,
              }))}
              {field(ampParameters.recoveryMs, amp.recoveryMs, (recoveryMs) => ({
                ...amp,
                recoveryMs,
              }))}
              {field(ampParameters.levelDb, amp.levelDb, (levelDb) => ({ ...amp, levelDb }))}
            </div>
            <CabinetOf
              voice={voice}
              amp={amp}
              onPreview={preview}
              onKeep={keep}
              onCancel={cancel}
            />
          </>
        ) : (
          <p className="quiet small m-2">Played as it is, through no chain.</p>
        )}
      </section>
      {children}
    </>
  );
}

interface CabinetProps {
  readonly voice: Voice;
  readonly amp: Amp;
  readonly onPreview: (amp: Amp) => void;
  readonly onKeep: (amp: Amp) => void;
  readonly onCancel: () => void;
}

function CabinetOf({ voice, amp, onPreview, onKeep, onCancel }: CabinetProps) {
  const { cabinet } = amp;
  const choose = (kind: string) =>
    onKeep({
      ...amp,
      cabinet:
        kind === '' ? null : { ...(cabinet ?? usualAmp.cabinet!), kind: kind as CabinetKind },
    });
  return (
    <div className="amp-cabinet">
      <select
        className="plain-select"
        aria-label={`Cabinet, chain of ${voice.name}`}
        value={cabinet?.kind ?? ''}
        onChange={(event) => choose(event.target.value)}
      >
        <option value="">no cabinet</option>
        {cabinetKinds.map((kind) => (
          <option key={kind} value={kind}>
            {cabinets[kind].name}
          </option>
        ))}
      </select>
      {cabinet && (
        <>
          <MicrophonePlan
            label={`Microphone of ${voice.name}`}
            cabinet={cabinet}
            onPreview={(next) => onPreview({ ...amp, cabinet: next })}
            onCommit={(next) => onKeep({ ...amp, cabinet: next })}
            onCancel={onCancel}
          />
          <label
            className="quiet small"
            title={`The way to the microphone is a delay of ${(cabinet.distanceCm / 34.3).toFixed(2)} ms; otherwise it is taken out`}
          >
            <input
              type="checkbox"
              checked={cabinet.keepDelay}
              onChange={(event) =>
                onKeep({ ...amp, cabinet: { ...cabinet, keepDelay: event.target.checked } })
              }
            />{' '}
            keep its delay
          </label>
        </>
      )}
    </div>
  );
}
