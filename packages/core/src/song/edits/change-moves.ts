import { moveDescription, mostMoves } from '../along.ts';
import { changeList } from './change-list.ts';

export const changeMoves = changeList(
  'change-moves',
  'moves',
  moveDescription,
  mostMoves,
  'a move',
);
