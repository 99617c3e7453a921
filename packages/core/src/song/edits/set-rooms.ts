import * as z from 'zod';
import { mostRooms, roomDescription } from '../../rooms/room.ts';
import { checkSong } from '../song.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('set-rooms', { rooms: z.array(roomDescription).max(mostRooms) });

export const setRooms: EditModule<typeof description> = {
  description,
  apply: (song, { rooms }) => {
    const changed = checkSong({ ...song, rooms });
    if (!changed.ok) return changed;
    return edited(changed.value, { kind: 'set-rooms', rooms: song.rooms });
  },
  merge: (_, later) => later,
};
