import { newGroup, inGroup, groupOf } from '@pannet/core/song/groups';
import { plural } from '@pannet/core/quantities/wording';
import { feedOf, withFeed } from '@pannet/core/rooms/feeds';
import { mostRooms, roomKinds, type RoomKind } from '@pannet/core/rooms/room';
import { roomKindNames, startingRoom } from '@pannet/core/rooms/starting';
import { useStore } from 'zustand';
import { say } from '../controls/notices.ts';
import { useOpenSong, useSelectedPart, useSelection, useSong } from '../session/use-open-song.ts';
import { TempoField } from '../tempo/TempoField.tsx';
import { MoveBy } from './MoveBy.tsx';
import { MoveMenu } from './MoveMenu.tsx';
import { Freezing } from './Freezing.tsx';
import { ThrowMenu } from './ThrowMenu.tsx';

const newOne = 'new';
const none = 'none';

/** Under the rows: the ruler, the tempo, and what is done to the selected parts. */
export function SongTools() {
  const open = useOpenSong();
  const song = useSong();
  const { partIds } = useSelection();
  const part = useSelectedPart();
  const bars = useStore(open.view, (state) => state.bars);
  const group = part && groupOf(song, part.id);
  const together = partIds.length > 1 ? plural(partIds.length, 'part') : (part?.name ?? '');
  const into = (where: string) => {
    const kept = open.session.store.getState().song;
    const name = where === none ? null : kept.groups.find(({ id }) => id === where)?.name;
    const groups =
      where === newOne
        ? newGroup(kept, crypto.randomUUID(), partIds)
        : inGroup(kept, where === none ? null : where, partIds);
    if (!groups) {
      say(`A song has at most ${kept.groups.length} groups.`);
      return;
    }
    const what = where === newOne ? 'a group' : where === none ? 'in no group' : `into ${name}`;
    open.do(`${together}: ${what}`, [{ kind: 'set-groups', groups }]);
  };
  const addRoom = (kind: RoomKind) => {
    const { rooms } = open.session.store.getState().song;
    if (rooms.length >= mostRooms) {
      say(`A song has at most ${mostRooms} rooms.`);
      return;
    }
    const taken = rooms.map(({ name }) => name);
    const room = startingRoom(crypto.randomUUID(), kind, taken);
    open.do(`a room: ${room.name}`, [{ kind: 'set-rooms', rooms: [...rooms, room] }]);
  };
  const feed = (roomId: string) => {
    const { rooms } = open.session.store.getState().song;
    const fed = rooms.map((room) =>
      room.id === roomId ? partIds.reduce((now, id) => withFeed(now, feedOf(id)), room) : room,
    );
    const name = rooms.find(({ id }) => id === roomId)?.name;
    open.do(`${together}: into ${name}`, [{ kind: 'set-rooms', rooms: fed }]);
  };
  return (
    <div className="song-tools">
      <span className="listening" role="group" aria-label="Ruler">
        {[false, true].map((value) => (
          <button
            key={String(value)}
            type="button"
            aria-pressed={bars === value}
            onClick={() => open.view.setState({ bars: value })}
          >
            {value ? 'Bars' : 'Time'}
          </button>
        ))}
      </span>
      <TempoField whole />
      <select
        className="plain-select"
        aria-label="Add a room"
        value=""
        onChange={(event) => addRoom(event.target.value as RoomKind)}
      >
        <option value="" disabled hidden>
          Add a room …
        </option>
        {roomKinds.map((kind) => (
          <option key={kind} value={kind}>
            {roomKindNames[kind]}
          </option>
        ))}
      </select>
      <span className="flex-grow-1" />
      {part && (
        <>
          <span className="small text-truncate song-tools-name" title={together}>
            {together}
          </span>
          <MoveBy key={part.id} part={part} partIds={partIds} together={together} />
          <MoveMenu part={part} />
          <ThrowMenu part={part} />
          {song.rooms.length > 0 && (
            <select
              className="plain-select"
              aria-label={`Feed a room by ${together}`}
              title="What is selected goes into a room, too"
              value=""
              onChange={(event) => feed(event.target.value)}
            >
              <option value="" disabled hidden>
                Feed …
              </option>
              {song.rooms.map(({ id, name }) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </select>
          )}
          <select
            className="plain-select"
            aria-label={`Group of ${together}`}
            title="The group that it is in"
            value={group?.id ?? none}
            onChange={(event) => into(event.target.value)}
          >
            <option value={none}>in no group</option>
            {song.groups.map(({ id, name }) => (
              <option key={id} value={id}>
                in {name}
              </option>
            ))}
            <option value={newOne}>a new group</option>
          </select>
          <Freezing thing={part} />
        </>
      )}
    </div>
  );
}
