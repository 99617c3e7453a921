import { songPanLaw } from '../song.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('set-pan-law', { panLaw: songPanLaw.unwrap() });

export const setPanLaw: EditModule<typeof description> = {
  description,
  apply: (song, { panLaw }) =>
    edited({ ...song, panLaw }, { kind: 'set-pan-law', panLaw: song.panLaw }),
};
