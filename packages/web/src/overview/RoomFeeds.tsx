import { Trash, WaveTriangle } from '@phosphor-icons/react';
import { feedParameters } from '@pannet/core/parameters/tables';
import { mayGoInto } from '@pannet/core/rooms/between';
import { changedFeed } from '@pannet/core/rooms/feeds';
import type { Edit } from '@pannet/core/song/edits/edit';
import { feedTarget, moveOf, type MoveTarget } from '@pannet/core/song/moves-of';
import type { Feed, Part, Room } from '@pannet/core/song/song';
import { NumberField } from '../controls/NumberField.tsx';
import { changeText } from '../image/voice-edits.ts';
import { useSession, useSong } from '../session/use-open-song.ts';
import { useMoves } from './use-moves.ts';

/** How a room is changed: shown while it is dragged, and kept as one step. */
export interface Changing {
  /** As it is shown, and as it is kept: what is changed is said from there. */
  readonly room: Room;
  readonly kept: () => Room;
  readonly preview: (changes: Partial<Room>) => void;
  readonly keep: (what: string, changes: Partial<Room>) => void;
  readonly cancel: () => void;
  /** The edits of a change, for what is done together with others. */
  readonly edits: (changes: Partial<Room>) => Edit[];
}

/** Whether a room is fed by a voice that the image has no more: nothing goes in until it is back. */
function isGone({ image }: Part, { from, voiceId }: Feed): boolean {
  return from === 'voice' && !image.voices.some(({ id }) => id === voiceId);
}

/** In short what goes into it. */
export function FedBy({ room }: { readonly room: Room }) {
  const song = useSong();
  const others = room.fromRooms.map(
    ({ roomId }) => song.rooms.find(({ id }) => id === roomId)?.name ?? '',
  );
  const ofParts = room.feeds.map((feed) => {
    const part = song.parts[feed.partId];
    if (!part) return '';
    if (feed.from === 'image') return part.name;
    if (feed.from === 'flanks') return `${part.name}, flanks`;
    const voice = part.image.voices.find(({ id }) => id === feed.voiceId);
    return `${part.name}, ${voice?.name ?? 'a voice that is gone'}`;
  });
  const words = [...ofParts, ...others];
  return (
    <span className="quiet small text-truncate room-fed" title={words.join(' · ')}>
      {words.length === 0 ? 'fed by nothing yet: select parts, then “Feed”' : words.join(' · ')}
    </span>
  );
}

interface RideProps {
  readonly label: string;
  readonly room: Room;
  readonly target: MoveTarget;
}

/** Begins to move a level along the song. */
export function Ride({ label, room, target }: RideProps) {
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

/** Where it gives back to, and the other rooms that go into it. */
export function Between({ changing }: { readonly changing: Changing }) {
  const { room, kept, preview, keep, cancel } = changing;
  const { rooms, groups } = useSong();
  const free = mayGoInto(rooms, room).filter(
    ({ id }) => !room.fromRooms.some(({ roomId }) => roomId === id),
  );
  const nameOf = (id: string) => rooms.find((one) => one.id === id)?.name ?? '';
  const changed = (roomId: string, levelDb: number | null) => ({
    fromRooms: room.fromRooms.flatMap((feed) =>
      feed.roomId !== roomId ? [feed] : levelDb === null ? [] : [{ ...feed, levelDb }],
    ),
  });
  return (
    <div className="room-between small">
      {groups.length > 0 && (
        <label>
          <span className="quiet">gives back into</span>{' '}
          <select
            className="plain-select"
            aria-label={`${room.name} gives back into`}
            value={room.groupId ?? ''}
            onChange={(event) => {
              const groupId = event.target.value === '' ? null : event.target.value;
              const where = groups.find(({ id }) => id === groupId)?.name ?? 'the song';
              keep(`gives back into ${where}`, { groupId });
            }}
          >
            <option value="">the song</option>
            {groups.map(({ id, name }) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </select>
        </label>
      )}
      {room.fromRooms.map(({ roomId, levelDb }) => (
        <span key={roomId} className="d-inline-flex align-items-center gap-1">
          <span className="quiet">fed by</span> {nameOf(roomId)}
          <NumberField
            parameter={feedParameters.levelDb}
            label={`Feed of ${nameOf(roomId)}`}
            value={levelDb}
            width={82}
            onPreview={(to) => preview(changed(roomId, to))}
            onCommit={(to) => {
              const was = kept().fromRooms.find((feed) => feed.roomId === roomId)?.levelDb ?? 0;
              const name = `feed of ${nameOf(roomId)}`;
              keep(changeText(name, feedParameters.levelDb, was, to), changed(roomId, to));
            }}
            onCancel={cancel}
          />
          <Ride
            label={`the feed of ${nameOf(roomId)}`}
            room={room}
            target={feedTarget(room.id, roomId)}
          />
          <button
            type="button"
            className="btn-tool"
            aria-label={`Feed ${room.name} by ${nameOf(roomId)} no more`}
            onClick={() => keep(`fed by ${nameOf(roomId)} no more`, changed(roomId, null))}
          >
            <Trash aria-hidden />
          </button>
        </span>
      ))}
      {free.length > 0 && (
        <select
          className="plain-select"
          aria-label={`Feed ${room.name} by another room`}
          value=""
          onChange={({ target: { value: roomId } }) =>
            keep(`fed by ${nameOf(roomId)}`, {
              fromRooms: [...room.fromRooms, { roomId, levelDb: 0 }],
            })
          }
        >
          <option value="" disabled hidden>
            fed by another room …
          </option>
          {free.map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </select>
      )}
    </div>
  );
}

/** What goes in, row by row. */
export function Feeds({ changing }: { readonly changing: Changing }) {
  const { room, kept, preview, keep, cancel } = changing;
  const song = useSong();
  if (room.feeds.length === 0) return null;
  return (
    <table className="room-feeds small" aria-label={`What feeds ${room.name}`}>
      <tbody>
        {room.feeds.map((feed, n) => {
          const part = song.parts[feed.partId];
          if (!part) return null;
          // Of one part the same thing goes in once.
          const isTaken = (from: Feed['from'], voiceId: string | null = null) =>
            room.feeds.some(
              (other, k) =>
                k !== n &&
                other.partId === feed.partId &&
                other.from === from &&
                other.voiceId === voiceId,
            );
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
                  <option value="image" disabled={isTaken('image')}>
                    all of it
                  </option>
                  <option value="flanks" disabled={isTaken('flanks')}>
                    its flanks alone
                  </option>
                  {part.image.voices.map(({ id, name }) => (
                    <option key={id} value={`voice/${id}`} disabled={isTaken('voice', id)}>
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
