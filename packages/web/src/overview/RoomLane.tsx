import { CaretDown, CaretRight, Trash } from '@phosphor-icons/react';
import { echoParameters, roomParameters } from '@pannet/core/parameters/tables';
import { figure } from '@pannet/core/quantities/wording';
import { roots } from '@pannet/core/rendering/plan';
import { withoutRoom } from '@pannet/core/rooms/between';
import { decayAt } from '@pannet/core/rooms/absorption';
import { asKind, roomKindNames } from '@pannet/core/rooms/starting';
import { inTempo } from '@pannet/core/rooms/in-tempo';
import { roomKinds, type RoomKind } from '@pannet/core/rooms/room';
import type { Edit } from '@pannet/core/song/edits/edit';
import { belongsToRoom, levelTarget, namesRoom } from '@pannet/core/song/moves-of';
import type { Move, Room } from '@pannet/core/song/song';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useShallow } from 'zustand/react/shallow';
import { innerDrop, useFileDrop } from '../controls/use-file-drop.ts';
import { NumberField } from '../controls/NumberField.tsx';
import { ParameterRow } from '../controls/ParameterRow.tsx';
import { changeText } from '../image/voice-edits.ts';
import { ComingBar } from '../importing/ComingBar.tsx';
import { MixDialog } from '../report/MixReport.tsx';
import { useOpenSong, useRate, useSession, useSong } from '../session/use-open-song.ts';
import { LaneName } from './LaneName.tsx';
import { OwnResponse, useResponseComing } from './OwnResponse.tsx';
import { Between, FedBy, Feeds, Ride, type Changing } from './RoomFeeds.tsx';
import { Freezing, FrozenMark } from './Freezing.tsx';
import { MoveLane } from './MoveLane.tsx';
import { droppingOf } from './use-freezing.ts';

interface Props {
  readonly room: Room;
  readonly width: number;
}

const networkKeys = [
  ['decayS', 'sizePercent', 'lowPercent', 'highPercent'],
  ['preDelayLeftMs', 'preDelayRightMs', 'earlyDb'],
] as const;
/** A spring has no first reflections. */
const springKeys = [networkKeys[0], ['preDelayLeftMs', 'preDelayRightMs']] as const;
/** What was recorded has its decay and its first reflections in it. */
const ownKeys = [['preDelayLeftMs', 'preDelayRightMs']] as const;
const keysOf = ({ kind }: Room): readonly (readonly RoomRow[])[] =>
  kind === 'own' ? ownKeys : kind === 'spring' ? springKeys : networkKeys;
const echoKeys = [
  ['timeMs', 'beats', 'ratioPercent'],
  ['feedbackPercent', 'crossPercent', 'lowCutHz', 'highCutHz'],
] as const;
const returnKeys = ['widthPercent', 'lowCutHz', 'highCutHz'] as const;

/** A room under the parts: what it is, what feeds it, and behind the arrow all that it is set to. */
export function RoomLane({ room, width }: Props) {
  const open = useOpenSong();
  const [shown, setShown] = useState(false);
  const [measuring, setMeasuring] = useState(false);
  const { id, name, kind, muted } = room;
  const edits = (changes: Partial<Room> | null): Edit[] => {
    const { rooms } = open.session.store.getState().song;
    return [
      {
        kind: 'set-rooms',
        rooms: changes
          ? rooms.map((one) => (one.id === id ? { ...one, ...changes } : one))
          : withoutRoom(rooms, id),
      },
    ];
  };
  const changing: Changing = {
    room,
    kept: () => open.session.store.getState().song.rooms.find((one) => one.id === id) ?? room,
    preview: (changes) => open.preview(edits(changes)),
    keep: (what, changes) => void open.do(`${name}: ${what}`, edits(changes)),
    cancel: () => open.session.endPreview(),
    edits,
  };
  const { keep } = changing;
  const coming = useResponseComing(changing);
  const { over, handlers } = useFileDrop(coming.bring, true);
  const along = useSession(
    useShallow(({ shown }) => shown.moves.filter(({ target }) => belongsToRoom(target, id))),
  );
  const remove = () => {
    const { song } = open.session.store.getState();
    const others = song.moves.filter(({ target }) => !namesRoom(target, id));
    const still = others.length < song.moves.length;
    open.do(`remove ${name}`, [
      ...(still ? [{ kind: 'set-moves', moves: others } as const] : []),
      ...edits(null),
      ...droppingOf(song, { kind: 'room', id }),
    ]);
  };
  return (
    <section
      className={`room-lane ${innerDrop}${muted ? ' unheard' : ''}`}
      {...handlers}
      aria-label={name}
      data-testid={`room-${name}`}
    >
      <div className="group-lane-head">
        <button
          type="button"
          className="btn-tool"
          aria-label={`Settings of ${name}`}
          aria-expanded={shown}
          onClick={() => setShown(!shown)}
        >
          {shown ? <CaretDown weight="bold" /> : <CaretRight weight="bold" />}
        </button>
        <LaneName name={name} onName={(to) => keep(`name ${to}`, { name: to })} />
        <select
          className="plain-select"
          aria-label={`Kind of ${name}`}
          value={kind}
          onChange={(event) => {
            const next = event.target.value as RoomKind;
            keep(roomKindNames[next], asKind(room, next));
          }}
        >
          {roomKinds.map((one) => (
            <option key={one} value={one}>
              {roomKindNames[one]}
            </option>
          ))}
        </select>
        <FedBy room={room} />
        <FrozenMark thing={room} />
        <span className="flex-grow-1" />
        <Ride label="its level" room={room} target={levelTarget('room', id)} />
        <Field changing={changing} row="levelDb" label={`Level of ${name}`} />
        <button
          type="button"
          className="letter-toggle"
          aria-pressed={muted}
          aria-label={`Mute ${name}`}
          title="Mute"
          onClick={() => keep(muted ? 'unmuted' : 'muted', { muted: !muted })}
        >
          M
        </button>
        <button type="button" className="btn-tool" aria-label={`Remove ${name}`} onClick={remove}>
          <Trash aria-hidden />
        </button>
      </div>
      <ComingBar share={coming.share} label="Bringing the response" onStop={coming.stop} />
      {over && <div className="drop-over">Drop a response (WAV, to 12 s): {name} rings by it</div>}
      {shown && (
        <div className="room-settings">
          {kind === 'own' && <OwnResponse changing={changing} coming={coming} />}
          {room.kind !== 'echo'
            ? keysOf(room).map((keys, n) => (
                <div key={keys[0]}>
                  {keys.map((key) => (
                    <Field key={key} changing={changing} row={key} wide />
                  ))}
                  {n === 0 && kind !== 'own' && <Decays room={room} />}
                </div>
              ))
            : echoKeys.map((keys, n) => (
                <div key={keys[0]}>
                  {keys.map((key) => (
                    <EchoField key={key} changing={changing} row={key} />
                  ))}
                  {n === 0 && <EchoTimes room={room} />}
                </div>
              ))}
          <div>
            {returnKeys.map((key) => (
              <Field key={key} changing={changing} row={key} wide />
            ))}
            <Sides changing={changing} onMeasure={() => setMeasuring(true)} />
            <Freezing thing={room} />
          </div>
          <Between changing={changing} />
          <Feeds changing={changing} />
        </div>
      )}
      {along.map((move) => (
        <RoomMove key={move.id} room={room} move={move} width={width} />
      ))}
      {measuring && (
        <MixDialog
          root={roots.room(id)}
          title={`${name}, what it gives back`}
          what="What it gives back"
          onClose={() => setMeasuring(false)}
        />
      )}
    </section>
  );
}

/** What it gives back, or what a part or another room is fed into it at, along the song; nothing of a feed that is gone. */
function RoomMove({ room, move, width }: { room: Room; move: Move; width: number }) {
  const { target, curve } = move;
  const { of } = target;
  const from = useSession(({ shown: { parts, rooms } }) =>
    of === null ? null : (parts[of] ?? rooms.find(({ id }) => id === of)),
  );
  const feeds =
    of === null ||
    room.feeds.some(({ partId }) => partId === of) ||
    room.fromRooms.some(({ roomId }) => roomId === of);
  if (!feeds) return null;
  const name = from ? `${from.name} into ${room.name}` : room.name;
  return <MoveLane name={name} target={target} curve={curve} width={width} />;
}

type RoomRow = keyof typeof roomParameters;

interface FieldProps {
  readonly changing: Changing;
  readonly row: RoomRow;
  readonly label?: string;
  /** With its label beside it. */
  readonly wide?: boolean;
}

function Field({ changing, row, label, wide = false }: FieldProps) {
  const { room, kept, preview, keep, cancel } = changing;
  const parameter = roomParameters[row];
  const props = {
    parameter,
    value: room[row],
    label: label ?? parameter.label,
    width: 86,
    onPreview: (to: number | null) => preview({ [row]: to }),
    onCommit: (to: number | null) =>
      keep(changeText(parameter.label.toLowerCase(), parameter, kept()[row], to), { [row]: to }),
    onCancel: cancel,
  };
  return wide ? <ParameterRow {...props} slider={false} /> : <NumberField {...props} />;
}

/** A value of an echo. */
function EchoField({ changing, row }: { changing: Changing; row: keyof Room['echo'] }) {
  const { room, kept, preview, keep, cancel } = changing;
  const parameter = echoParameters[row];
  const changed = (to: number | null) => ({ echo: { ...room.echo, [row]: to } });
  return (
    <ParameterRow
      parameter={parameter}
      value={room.echo[row]}
      width={86}
      slider={false}
      onPreview={(to) => preview(changed(to))}
      onCommit={(to) =>
        keep(
          changeText(parameter.label.toLowerCase(), parameter, kept().echo[row], to),
          changed(to),
        )
      }
      onCancel={cancel}
    />
  );
}

/** How late each side comes back, whatever it is set in. */
function EchoTimes({ room }: Pick<Props, 'room'>) {
  const tempo = useSong().tempo;
  const { echo, times } = inTempo(room, tempo);
  const all = times?.map(({ timeMs }) => timeMs) ?? [echo.timeMs];
  const [shortest, longest] = [Math.min(...all), Math.max(...all)];
  const after = (percent: number) =>
    [shortest, longest]
      .slice(0, shortest === longest ? 1 : 2)
      .map((timeMs) => figure((timeMs * percent) / 100, 1))
      .join(' to ');
  return (
    <p className="quiet small m-0 mt-1" data-testid={`times-${room.name}`}>
      left after {after(100)} ms, right after {after(echo.ratioPercent)} ms
      {times ? ', as the tempo goes' : ''}
    </p>
  );
}

/** How long it takes to fall by 60 dB, as it is set, low and high. */
function Decays({ room }: Pick<Props, 'room'>) {
  const rate = useRate();
  const at = (hz: number) => `${figure(decayAt(room, hz, rate), 2)} s`;
  return (
    <p className="quiet small m-0 mt-1" data-testid={`decays-${room.name}`}>
      60 dB down at 125 Hz in {at(125)}, at 1 kHz in {at(1000)}, at 8 kHz in {at(8000)}
    </p>
  );
}

function Sides({ changing, onMeasure }: { changing: Changing; onMeasure: () => void }) {
  const { room, keep } = changing;
  return (
    <div className="d-flex align-items-center gap-2 mt-1">
      <select
        className="plain-select"
        aria-label={`Sides of ${room.name}`}
        value={room.side}
        onChange={(event) =>
          keep(`return on ${event.target.value}`, { side: event.target.value as Room['side'] })
        }
      >
        <option value="both">both sides</option>
        <option value="left">left side only</option>
        <option value="right">right side only</option>
      </select>
      <Button size="sm" variant="outline-primary" onClick={onMeasure}>
        Measure it …
      </Button>
    </div>
  );
}
