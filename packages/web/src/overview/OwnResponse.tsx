import { responseParameters } from '@pannet/core/parameters/tables';
import { figure } from '@pannet/core/quantities/wording';
import { mostResponseSeconds, responseNeed } from '@pannet/core/rooms/response';
import { asKind } from '@pannet/core/rooms/starting';
import type { Room } from '@pannet/core/song/song';
import { useRef } from 'react';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { ParameterRow } from '../controls/ParameterRow.tsx';
import { OwnImpulses } from '../image/OwnImpulses.tsx';
import { ownImpulses } from '../image/own-impulses.ts';
import { changeText } from '../image/voice-edits.ts';
import { forRoom, puttingOf } from '../importing/keep-impulse.ts';
import { WavPicker } from '../importing/WavPicker.tsx';
import { useComing } from '../importing/use-coming.ts';
import { useOpenSong, useRecordings, useSong } from '../session/use-open-song.ts';
import type { Changing } from './RoomFeeds.tsx';

/** The choice that asks for a file. */
const another = 'file';

/** A response on its way to a room, which then rings by it. */
export function useResponseComing({ kept, edits }: Changing) {
  const open = useOpenSong();
  const { share, bring, stop } = useComing(forRoom);
  return {
    share,
    stop,
    bring: (files: readonly File[]) =>
      void bring(
        files,
        ({ recording }) => {
          const room = kept();
          const { song } = open.session.store.getState();
          // It was removed meanwhile.
          if (!song.rooms.some(({ id }) => id === room.id)) return false;
          const own = { ...room.own, recording: recording.hash };
          const ringing = room.kind === 'own' ? room : asKind(room, 'own');
          return open.do(`${room.name}: response ${recording.fileName}`, [
            ...puttingOf(song, recording),
            ...edits({ ...ringing, own }),
          ]);
        },
        'A room',
      ),
  };
}

interface Props {
  readonly changing: Changing;
  readonly coming: ReturnType<typeof useResponseComing>;
}

/** What a room rings by that was recorded: which one, how fast it falls, and what goes into it. */
export function OwnResponse({ changing, coming }: Props) {
  const { room, kept, preview, keep, cancel } = changing;
  const song = useSong();
  const picker = useRef<HTMLInputElement>(null);
  const { recording, together, decayPercent } = room.own;
  const { decayPercent: parameter } = responseParameters;
  const changed = (to: Partial<Room['own']>) => ({ own: { ...kept().own, ...to } });
  const choose = (value: string) => {
    if (value === another) picker.current?.click();
    else keep(`response ${song.recordings[value].fileName}`, changed({ recording: value }));
  };
  return (
    <div>
      <select
        className="plain-select w-100"
        aria-label={`Response of ${room.name}`}
        value={recording ?? ''}
        onChange={(event) => choose(event.target.value)}
      >
        <option value="" disabled hidden>
          No response yet …
        </option>
        {ownImpulses(song, mostResponseSeconds).map(({ hash, fileName }) => (
          <option key={hash} value={hash}>
            {fileName}
          </option>
        ))}
        <option value={another}>a file …</option>
      </select>
      <WavPicker ref={picker} label={`File of a response of ${room.name}`} onFiles={coming.bring} />
      <Readiness room={room} />
      <ParameterRow
        parameter={parameter}
        value={decayPercent}
        width={86}
        slider={false}
        onPreview={(to) => preview(changed({ decayPercent: to }))}
        onCommit={(to) =>
          keep(
            changeText(parameter.label.toLowerCase(), parameter, kept().own.decayPercent, to),
            changed({ decayPercent: to }),
          )
        }
        onCancel={cancel}
      />
      <label
        className="small d-block"
        title="The middle of what goes in reaches both sides of the response; otherwise each side its own"
      >
        <input
          type="checkbox"
          checked={together}
          onChange={(event) =>
            keep(
              event.target.checked ? 'both sides together' : 'each side its own',
              changed({ together: event.target.checked }),
            )
          }
        />{' '}
        both sides together
      </label>
      <OwnImpulses mostSeconds={mostResponseSeconds} />
    </div>
  );
}

/** How long its response takes to fall, or what there is to wait for. */
function Readiness({ room }: { readonly room: Room }) {
  const { responses } = useOpenSong().playback;
  const recordings = useRecordings();
  const need = responseNeed(room, recordings);
  const known = useStore(responses.store, (state) =>
    need && Object.hasOwn(state, need.key) ? state[need.key] : null,
  );
  const line = (text: string) => (
    <p className="quiet small m-0 mt-1" data-testid={`response-${room.name}`}>
      {text}
    </p>
  );
  if (!need)
    return line(
      'Drop a recorded response (WAV, one or two sides, to 12 s) here, or choose a file.',
    );
  if (!known) return line('Being made ready …');
  if ('failed' in known)
    return (
      <div className="d-flex gap-2 align-items-center" role="alert">
        {line(`${known.failed} Until it is there the room rings as before, or not at all.`)}
        <Button size="sm" variant="outline-primary" onClick={() => responses.again(need.key)}>
          Try again
        </Button>
      </div>
    );
  const { decayS } = known;
  return line(
    decayS === null
      ? 'It does not fall so far that a decay can be told.'
      : `60 dB down in ${figure(decayS, 2)} s`,
  );
}
