import { CaretDown, CaretRight, Trash, WaveTriangle } from '@phosphor-icons/react';
import { echoParameters, feedParameters, roomParameters } from '@pannet/core/parameters/tables';
import { figure } from '@pannet/core/quantities/wording';
import { roots } from '@pannet/core/rendering/plan';
import { decayAt } from '@pannet/core/rooms/absorption';
import { changedFeed } from '@pannet/core/rooms/feeds';
import { asKind, roomKindNames } from '@pannet/core/rooms/starting';
import { inTempo } from '@pannet/core/rooms/in-tempo';
import { isNetwork, roomKinds, type RoomKind, type RoomSound } from '@pannet/core/rooms/room';
import type { Edit } from '@pannet/core/song/edits/edit';
import {
  belongsToRoom,
  feedTarget,
  levelTarget,
  moveOf,
  type MoveTarget,
} from '@pannet/core/song/moves-of';
import type { Feed, Move, Part, Room } from '@pannet/core/song/song';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useShallow } from 'zustand/react/shallow';
import { NumberField } from '../controls/NumberField.tsx';
import { ParameterRow } from '../controls/ParameterRow.tsx';
import { changeText } from '../image/voice-edits.ts';
import { MixDialog } from '../report/MixReport.tsx';
import { useOpenSong, useRate, useSession, useSong } from '../session/open-song.ts';
import { LaneName } from './LaneName.tsx';
import { MoveLane } from './MoveLane.tsx';
import { useMoves } from './use-moves.ts';

interface Props {
  readonly room: Room;
  readonly width?: number;
}

/** How a room is changed: shown while it is dragged, and kept as one step. */
interface Changing {
  /** As it is shown, and as it is kept: what is changed is said from there. */
  readonly room: Room;
  readonly kept: () => Room;
  readonly preview: (changes: Partial<Room>) => void;
  readonly keep: (what: string, changes: Partial<Room>) => void;
  readonly cancel: () => void;
}

const networkKeys = [
  ['decayS', 'sizePercent', 'lowPercent', 'highPercent'],
  ['preDelayLeftMs', 'preDelayRightMs', 'earlyDb'],
] as const;
const echoKeys = [
  ['timeMs', 'beats', 'ratioPercent'],
  ['feedbackPercent', 'crossPercent', 'lowCutHz', 'highCutHz'],
] as const;
const returnKeys = ['widthPercent', 'lowCutHz', 'highCutHz'] as const;

/** A room under the parts: what it is, what feeds it, and behind the arrow all that it is set to. */
export function RoomLane({ room, width = 0 }: Props) {
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
          : rooms.filter((one) => one.id !== id),
      },
    ];
  };
  const changing: Changing = {
    room,
    kept: () => open.session.store.getState().song.rooms.find((one) => one.id === id) ?? room,
    preview: (changes) => open.preview(edits(changes)),
    keep: (what, changes) => void open.do(`${name}: ${what}`, edits(changes)),
    cancel: () => open.session.endPreview(),
  };
  const { keep } = changing;
  const along = useSession(
    useShallow(({ shown }) => shown.moves.filter(({ target }) => belongsToRoom(target, id))),
  );
  const remove = () => {
    const { song } = open.session.store.getState();
    const others = song.moves.filter(({ target }) => !belongsToRoom(target, id));
    const still = others.length < song.moves.length;
    open.do(`remove ${name}`, [
      ...(still ? [{ kind: 'set-moves', moves: others } as const] : []),
      ...edits(null),
    ]);
  };
  return (
    <section
      className={`room-lane${muted ? ' unheard' : ''}`}
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
      {shown && (
        <div className="room-settings">
          {isNetwork(room)
            ? networkKeys.map((keys, n) => (
                <div key={keys[0]}>
                  {keys.map((key) => (
                    <Field key={key} changing={changing} row={key} wide />
                  ))}
                  {n === 0 && <Decays room={room} />}
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
          </div>
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

interface RideProps {
  readonly label: string;
  readonly room: Room;
  readonly target: MoveTarget;
}

/** Begins to move a level along the song. */
function Ride({ label, room, target }: RideProps) {
  const moves = useMoves();
  const rides = useSession(({ shown }) => moveOf(shown, target) !== null);
  return (
    <button
      type="button"
      className="btn-tool"
      aria-label={`Ride ${label} along the song, ${room.name}`}
      title={`Ride ${label} along the song`}
      disabled={rides}
      onClick={() => moves.begin(`${room.name}: ${label} along the song`, target)}
    >
      <WaveTriangle aria-hidden />
    </button>
  );
}

/** What it gives back, or what a part is fed into it at, along the song; nothing of a feed that is gone. */
function RoomMove({ room, move, width }: { room: Room; move: Move; width: number }) {
  const { target, curve } = move;
  const part = useSession(({ shown }) => (target.of === null ? null : shown.parts[target.of]));
  if (target.of !== null && !room.feeds.some(({ partId }) => partId === target.of)) return null;
  const name = part ? `${part.name} into ${room.name}` : room.name;
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
function EchoTimes({ room }: Props) {
  const tempo = useSong().tempo;
  const { timeMs, ratioPercent } = inTempo(room, tempo).echo;
  return (
    <p className="quiet small m-0 mt-1" data-testid={`times-${room.name}`}>
      left after {figure(timeMs, 1)} ms, right after {figure((timeMs * ratioPercent) / 100, 1)} ms
    </p>
  );
}

/** Whether a room is fed by a voice that the image has no more: nothing goes in until it is back. */
function isGone({ image }: Part, { from, voiceId }: Feed): boolean {
  return from === 'voice' && !image.voices.some(({ id }) => id === voiceId);
}

/** In short what goes into it. */
function FedBy({ room }: Props) {
  const song = useSong();
  const words = room.feeds.map((feed) => {
    const part = song.parts[feed.partId];
    if (!part) return '';
    if (feed.from === 'image') return part.name;
    if (feed.from === 'flanks') return `${part.name}, flanks`;
    const voice = part.image.voices.find(({ id }) => id === feed.voiceId);
    return `${part.name}, ${voice?.name ?? 'a voice that is gone'}`;
  });
  return (
    <span className="quiet small text-truncate room-fed" title={words.join(' · ')}>
      {words.length === 0 ? 'fed by nothing yet: select parts, then “Feed”' : words.join(' · ')}
    </span>
  );
}

/** How long it takes to fall by 60 dB, as it is set, low and high. */
function Decays({ room }: { readonly room: Room & RoomSound }) {
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

/** What goes in, row by row. */
function Feeds({ changing }: { readonly changing: Changing }) {
  const { room, kept, preview, keep, cancel } = changing;
  const song = useSong();
  if (room.feeds.length === 0) return null;
  return (
    <table className="room-feeds small" aria-label={`What feeds ${room.name}`}>
      <tbody>
        {room.feeds.map((feed, n) => {
          const part = song.parts[feed.partId];
          if (!part) return null;
          const changed = (changes: Partial<Feed> | null) => ({
            feeds: changedFeed(room, n, changes).feeds,
          });
          return (
            <tr key={n}>
              <th scope="row" className="fw-normal">
                {part.name}
              </th>
              <td>
                <select
                  className="plain-select"
                  aria-label={`What of ${part.name} goes in`}
                  value={feed.from === 'voice' ? `voice/${feed.voiceId}` : feed.from}
                  onChange={({ target: { value } }) => {
                    const voice = part.image.voices.find(({ id }) => value === `voice/${id}`);
                    keep(
                      `fed by ${part.name}, ${voice?.name ?? value}`,
                      changed(
                        voice
                          ? { from: 'voice', voiceId: voice.id }
                          : { from: value as Feed['from'] },
                      ),
                    );
                  }}
                >
                  <option value="image">all of it</option>
                  <option value="flanks">its flanks alone</option>
                  {part.image.voices.map(({ id, name }) => (
                    <option key={id} value={`voice/${id}`}>
                      {name} alone
                    </option>
                  ))}
                  {isGone(part, feed) && (
                    <option value={`voice/${feed.voiceId}`} disabled>
                      a voice that is gone
                    </option>
                  )}
                </select>
              </td>
              <td>
                <NumberField
                  parameter={feedParameters.levelDb}
                  label={`Feed of ${part.name}`}
                  value={feed.levelDb}
                  width={82}
                  onPreview={(levelDb) => preview(changed({ levelDb }))}
                  onCommit={(levelDb) =>
                    keep(
                      changeText(
                        `feed of ${part.name}`,
                        feedParameters.levelDb,
                        kept().feeds[n].levelDb,
                        levelDb,
                      ),
                      changed({ levelDb }),
                    )
                  }
                  onCancel={cancel}
                />
                <Ride
                  label={`the feed of ${part.name}`}
                  room={room}
                  target={feedTarget(room.id, part.id)}
                />
              </td>
              <td>
                <label title="Taken before the part's level: the room stays when the part is turned down">
                  <input
                    type="checkbox"
                    className="form-check-input"
                    checked={feed.beforeLevel}
                    onChange={() =>
                      keep(
                        `feed of ${part.name} ${feed.beforeLevel ? 'behind' : 'before'} its level`,
                        changed({ beforeLevel: !feed.beforeLevel }),
                      )
                    }
                  />{' '}
                  before its level
                </label>
              </td>
              <td>
                <button
                  type="button"
                  className="btn-tool border-0 bg-transparent"
                  aria-label={`Feed ${room.name} by ${part.name} no more`}
                  onClick={() => keep(`no longer fed by ${part.name}`, changed(null))}
                >
                  <Trash aria-hidden />
                </button>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
