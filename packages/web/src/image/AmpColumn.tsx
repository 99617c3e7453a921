import { ArrowCounterClockwise, Plus } from '@phosphor-icons/react';
import { usualAmp, type Amp } from '@pannet/core/amps/amp';
import { driveShapes, type DriveShape } from '@pannet/core/amps/drive';
import { ampParameters, ampToneParameters } from '@pannet/core/parameters/tables';
import type { Parameter } from '@pannet/core/parameters/parameter';
import type { Part } from '@pannet/core/song/song';
import type { Voice } from '@pannet/core/voices/voice';
import Button from 'react-bootstrap/Button';
import { NumberField } from '../controls/NumberField.tsx';
import { say } from '../controls/notices.ts';
import { innerDrop, useFileDrop } from '../controls/use-file-drop.ts';
import { useOpenSong, usePlayback } from '../session/use-open-song.ts';
import { CabinetChoice } from './CabinetChoice.tsx';
import { changeName, voiceEdit, type VoiceChanges } from './voice-edits.ts';

function sideOf({ placement }: Voice): 'L' | 'R' | 'M' {
  if (placement.kind !== 'pan' || placement.panPercent === 0) return 'M';
  return placement.panPercent < 0 ? 'L' : 'R';
}

interface Props {
  readonly part: Part;
  readonly voice: Voice;
  readonly others: readonly Voice[];
  /** Brings an impulse response for its cabinet: the first of these files. */
  readonly onImpulses: (files: readonly File[]) => void;
}

/** The chain of one voice, from its input to its output; an impulse response may be dropped on it. */
export function AmpColumn({ part, voice, others, onImpulses }: Props) {
  const open = useOpenSong();
  const soloed = usePlayback((state) => state.soloVoices[part.id]?.includes(voice.id) ?? false);
  const { over, handlers } = useFileDrop(onImpulses, true);
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
    <section
      className={`amp-column side-${side} ${innerDrop}`}
      aria-label={`Chain of ${voice.name}`}
      {...handlers}
    >
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
              aria-label={`Reset the chain of ${voice.name}`}
              title="As a chain begins"
              onClick={() => keep(usualAmp)}
            >
              <ArrowCounterClockwise aria-hidden />
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
          <CabinetChoice
            voice={voice}
            amp={amp}
            onPreview={preview}
            onKeep={keep}
            onCancel={cancel}
            onImpulse={(file) => onImpulses([file])}
          />
        </>
      ) : (
        <p className="quiet small m-2">Played as it is, through no chain.</p>
      )}
      {over && (
        <div className="drop-over">Drop an impulse response (WAV, to 1 s) for {voice.name}</div>
      )}
    </section>
  );
}
