import { tempoDescription } from '../../moves/tempo.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('set-tempo', { tempo: tempoDescription.nullable() });

export const setTempo: EditModule<typeof description> = {
  description,
  apply: (song, { tempo }) => edited({ ...song, tempo }, { kind: 'set-tempo', tempo: song.tempo }),
  merge: (_, later) => later,
};
