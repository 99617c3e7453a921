import * as z from 'zod';
import { moveDescription, mostMoves } from '../along.ts';
import { keptMoves } from '../moves-of.ts';
import { checkSong } from '../song.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('set-moves', { moves: z.array(moveDescription).max(mostMoves) });

export const setMoves: EditModule<typeof description> = {
  description,
  apply: (song, { moves }) => {
    const changed = checkSong({ ...song, moves: keptMoves(song.moves, moves) });
    if (!changed.ok) return changed;
    return edited(changed.value, { kind: 'set-moves', moves: song.moves });
  },
  merge: (_, later) => later,
};
