import { SpeakerHigh, SpeakerLow } from '@phosphor-icons/react';
import { outputParameters } from '@pannet/core/parameters/tables';
import { figure } from '@pannet/core/quantities/wording';
import { useEffect, useState } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import { Slider } from '../controls/Slider.tsx';
import { say } from '../controls/notices.ts';
import { useOpenSong, usePlayback } from '../session/use-open-song.ts';

/** How loud it comes out, dimmed or not, and where. Nothing of it is exported. */
export function Output() {
  const { playback } = useOpenSong();
  const dimmed = usePlayback((state) => state.output.dimmed);
  const levelDb = usePlayback((state) => state.output.levelDb);
  const Speaker = dimmed ? SpeakerLow : SpeakerHigh;
  const set = (value: number) => playback.setOutput({ levelDb: value });
  return (
    <span className="d-inline-flex align-items-center gap-1">
      <button
        type="button"
        className="letter-toggle w-auto px-2"
        aria-pressed={dimmed}
        title="20 dB softer, to talk (−)"
        onClick={() => playback.setOutput({ dimmed: !dimmed })}
      >
        Dim
      </button>
      <Dropdown drop="up" align="end" autoClose="outside">
        <Dropdown.Toggle
          as="button"
          type="button"
          bsPrefix="matched-toggle"
          className="mono small"
          aria-label={`Output, ${figure(levelDb, 0)} dB`}
          title="Output level and device"
        >
          <Speaker size={18} aria-hidden /> {figure(levelDb, 0)} ▴
        </Dropdown.Toggle>
        <Dropdown.Menu className="p-2" style={{ width: 260 }}>
          <label className="small d-flex justify-content-between">
            Output level <span className="mono">{figure(levelDb, 0)} dB</span>
          </label>
          <Slider
            parameter={outputParameters.levelDb}
            value={levelDb}
            label="Output level"
            onPreview={set}
            onCommit={set}
          />
          <Device />
        </Dropdown.Menu>
      </Dropdown>
    </span>
  );
}

/** Where the sound goes, as far as the browser lets it be chosen. */
function Device() {
  const { playback } = useOpenSong();
  const chosen = usePlayback((state) => state.output.deviceId);
  const [devices, setDevices] = useState<readonly MediaDeviceInfo[] | null>(null);
  const offered = 'setSinkId' in AudioContext.prototype;
  useEffect(() => {
    if (!offered || !('mediaDevices' in navigator)) return;
    const look = () =>
      void navigator.mediaDevices
        .enumerateDevices()
        .then((all) => setDevices(all.filter(({ kind }) => kind === 'audiooutput')))
        .catch(() => setDevices([]));
    look();
    navigator.mediaDevices.addEventListener('devicechange', look);
    return () => navigator.mediaDevices.removeEventListener('devicechange', look);
  }, [offered]);
  if (!offered)
    return <p className="quiet small m-0">This browser chooses the output device itself.</p>;
  const known = (devices ?? []).filter(({ deviceId }) => deviceId !== '' && deviceId !== 'default');
  return (
    <label className="small d-block mt-1">
      Output device
      <select
        className="plain-select w-100"
        value={chosen}
        onChange={(event) =>
          void playback
            .setDevice(event.target.value)
            .catch((error: unknown) =>
              say(
                `The output device could not be taken: ${error instanceof Error ? error.message : String(error)}`,
              ),
            )
        }
      >
        <option value="">the browser&apos;s own</option>
        {known.map((device, n) => (
          <option key={device.deviceId} value={device.deviceId}>
            {device.label || `device ${n + 1}`}
          </option>
        ))}
      </select>
    </label>
  );
}
