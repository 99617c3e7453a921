import { safeFileName } from '@pannet/core/formats/file-name';
import { roots } from '@pannet/core/rendering/plan';
import { partsOfRoom } from '@pannet/core/rooms/between';
import { groupsAround } from '@pannet/core/song/along';
import { partsUnder } from '@pannet/core/song/groups';
import type { Group, Room, Song } from '@pannet/core/song/song';

/** What a stem is written of: a part, a group with what is done to all of it, or what a room gives back. */
export interface Stem {
  readonly kind: 'part' | 'group' | 'room';
  /** The parts that it needs. */
  readonly partIds: readonly string[];
  readonly name: string;
}

/** The parts of a group, and those that are heard in it by way of a room. */
function partsHeardIn(song: Song, group: Group): string[] {
  const within = (groupId: string | null) => {
    const own = song.groups.find(({ id }) => id === groupId);
    return own !== undefined && (own.id === group.id || groupsAround(song, own).includes(group));
  };
  const returned = song.rooms.filter((room) => within(room.groupId));
  return [
    ...new Set([
      ...partsUnder(song, group),
      ...returned.flatMap((room) => partsOfRoom(song.rooms, room)),
    ]),
  ];
}

const ofGroup = (song: Song, group: Group): Stem => ({
  kind: 'group',
  partIds: partsHeardIn(song, group),
  name: group.name,
});
const ofRoom = ({ rooms }: Song, room: Room): Stem => ({
  kind: 'room',
  partIds: partsOfRoom(rooms, room),
  name: room.name,
});

/** All that can be written of a song, in order. A part is named by its id, all else by its root in the plan. */
export function stemIds(song: Song): readonly string[] {
  return [
    ...song.partOrder,
    ...song.groups.map(({ id }) => roots.group(id)),
    ...song.rooms.map(({ id }) => roots.room(id)),
  ];
}

/** The parts that are needed for a stem, and what it is called. */
export function stemOf(song: Song, stemId: string): Stem {
  const group = song.groups.find(({ id }) => roots.group(id) === stemId);
  if (group) return ofGroup(song, group);
  const room = song.rooms.find(({ id }) => roots.room(id) === stemId);
  if (room) return ofRoom(song, room);
  return { kind: 'part', partIds: [stemId], name: song.parts[stemId].name };
}

export function stemLabel({ kind, name }: Stem): string {
  return kind === 'part' ? name : kind === 'group' ? `${name}, group` : `${name}, return`;
}

/** `take.wav` becomes `take_wide.wav`, a group and a room are named after themselves; those that would be named alike are told apart by a number. */
export function exportNames(song: Song, ids: readonly string[]): string[] {
  const used = new Set<string>();
  return ids.map((id) => {
    const base = baseOf(song, id);
    let name = `${base}.wav`;
    for (let n = 2; used.has(name.toLowerCase()); n++) name = `${base}-${n}.wav`;
    used.add(name.toLowerCase());
    return name;
  });
}

function baseOf(song: Song, stemId: string): string {
  const { kind, name } = stemOf(song, stemId);
  if (kind === 'group') return `${safeFileName(name)}_group`;
  if (kind === 'room') return `${safeFileName(name)}_return`;
  const { fileName } = song.recordings[song.parts[stemId].takes[0].recording];
  return `${safeFileName(fileName.replace(/\.[^.]*$/, ''))}_wide`;
}
