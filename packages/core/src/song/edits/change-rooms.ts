import { mostRooms, roomDescription } from '../../rooms/room.ts';
import { changeList } from './change-list.ts';

export const changeRooms = changeList(
  'change-rooms',
  'rooms',
  roomDescription,
  mostRooms,
  'a room',
);
