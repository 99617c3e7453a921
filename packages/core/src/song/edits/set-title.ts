import { songTitle } from '../song.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('set-title', { title: songTitle });

export const setTitle: EditModule<typeof description> = {
  description,
  apply: (song, { title }) => edited({ ...song, title }, { kind: 'set-title', title: song.title }),
  merge: (_, later) => later,
};
