import { tempoParameters } from '@pannet/core/parameters/tables';
import { clampParameter } from '@pannet/core/parameters/parameter';
import { figure } from '@pannet/core/quantities/wording';
import { useState } from 'react';
import { NumberField } from '../controls/NumberField.tsx';
import { useOpenSong, useSession } from '../session/use-open-song.ts';
import { bpmOf, tapped } from './tapped.ts';

interface Props {
  /** Whether beats in a bar are shown, and it can be tapped. */
  readonly whole?: boolean;
}

/** The song's tempo, for shares of a note and for bars; a map of several is left as it came. */
export function TempoField({ whole = false }: Props) {
  const open = useOpenSong();
  const tempo = useSession(({ song }) => song.tempo);
  const [taps, setTaps] = useState<readonly number[]>([]);
  const several = (tempo?.length ?? 0) > 1;
  const bpm = tempo?.[0].bpm ?? tempoParameters.bpm.default;
  const beatsPerBar = tempo?.[0].beatsPerBar ?? tempoParameters.beatsPerBar.default;
  const set = (name: string, changes: { bpm?: number; beatsPerBar?: number }) =>
    open.do(name, [{ kind: 'set-tempo', tempo: [{ atS: 0, bpm, beatsPerBar, ...changes }] }]);
  // Taps one after another are one step.
  const named = (to: number) => `tempo ${figure(bpm, 1)} → ${figure(to, 1)} bpm`;
  const tap = () => {
    const times = tapped(taps, performance.now());
    setTaps(times);
    const found = bpmOf(times);
    if (found === null) return;
    const next = clampParameter(tempoParameters.bpm, found);
    if (next !== bpm) set(named(next), { bpm: next });
  };
  return (
    <>
      <label className="named-field" title="For bars, and for what is moved by a share of a note">
        {!(whole && !several) && (
          <span className="quiet small">{several ? 'Tempo, first of a map' : 'Tempo'}</span>
        )}
        <NumberField
          parameter={tempoParameters.bpm}
          label="Tempo"
          unit="bpm"
          disabled={several}
          value={bpm}
          width={84}
          onCommit={(value) => set(named(value), { bpm: value })}
        />
      </label>
      {whole && !several && (
        <>
          <button
            type="button"
            className="letter-toggle w-auto px-2"
            title="Tap the beat: from the second tap on it is the tempo"
            onClick={tap}
          >
            Tap
          </button>
          <label className="named-field">
            <NumberField
              parameter={tempoParameters.beatsPerBar}
              label="Beats in a bar"
              unit="/bar"
              value={beatsPerBar}
              width={66}
              onCommit={(value) => set(`${value} beats in a bar`, { beatsPerBar: value })}
            />
          </label>
        </>
      )}
    </>
  );
}
